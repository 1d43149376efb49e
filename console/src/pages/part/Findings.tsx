import type { Report } from '../../shared/api'
import { SeverityMark } from '../../shared/Mark'
import { count, digits } from '../../shared/words'
import { Explanation, useKinds } from '../glossary/Glossary'

/** Findings lists what the check saw; picking one shows its places, one after another. */
export function Findings({ report, kind, chosen, pick }: { report: Report; kind: string | undefined; chosen: number | undefined; pick: (kind: string | undefined, place: number | undefined) => void }) {
  const kinds = useKinds()
  return (
    <section aria-label="Findings">
      <h2 className="sr-only">Findings</h2>
      {report.findings.length === 0 && <p className="text-sm">None.</p>}
      <ul className="space-y-1.5">
        {report.findings.map((f) => {
          const open = f.kind === kind
          const title = kinds.data?.find((k) => k.name === f.kind)
          return (
            <li key={f.kind} className={`rounded-box border ${open ? 'border-secondary' : 'border-base-300'}`}>
              <button
                className="flex w-full items-start gap-2 p-2.5 text-left text-sm"
                aria-expanded={open}
                data-finding={f.kind}
                onClick={() => pick(open ? undefined : f.kind, open || f.places.length === 0 ? undefined : 0)}
              >
                <SeverityMark severity={f.severity} />
                <span>
                  <span className="font-medium">{title?.title ?? f.kind}</span>
                  <span className="block opacity-70">{f.summary}</span>
                </span>
                <span className="ml-auto font-semibold">{count(f.count)}</span>
              </button>
              {open && (
                <div className="border-t border-base-300 p-2.5">
                  {f.places.length > 0 && <Places finding={f} chosen={chosen ?? 0} choose={(i) => pick(f.kind, i)} />}
                  {title && <Explanation kind={title} narrow />}
                </div>
              )}
            </li>
          )
        })}
      </ul>
    </section>
  )
}

function Places({ finding, chosen, choose }: { finding: Report['findings'][number]; chosen: number; choose: (i: number) => void }) {
  const n = finding.places.length
  const place = finding.places[chosen]
  if (!place) return null
  return (
    <div className="mb-2 flex items-center gap-2 text-sm" data-place={chosen}>
      <button className="btn btn-xs" aria-label="Previous place" disabled={n < 2} onClick={() => choose((chosen + n - 1) % n)}>◀</button>
      <button className="btn btn-xs" aria-label="Next place" disabled={n < 2} onClick={() => choose((chosen + 1) % n)}>▶</button>
      <span>
        place {chosen + 1} of {count(finding.places_total)}
        {finding.places_total > n && ` (${n} kept)`}
      </span>
      <span className="ml-auto opacity-70">{place.at_mm.map(digits).join(', ')} mm</span>
    </div>
  )
}
