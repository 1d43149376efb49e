import { Link } from 'react-router'
import type { Revision } from '../../shared/api'
import { bytes, count, digits } from '../../shared/words'

/** Revisions lists a part's states; picking one shows it. */
export function Revisions({ part, revisions, shown, show }: { part: number; revisions: Revision[]; shown: number; show: (r: number) => void }) {
  const repaired = revisions.filter((r) => r.repair)
  const one = revisions.find((r) => r.number === shown)
  return (
    <section aria-label="Revisions">
      <div className="join flex w-full flex-wrap" role="tablist">
        {revisions.map((r) => (
          <button
            key={r.number}
            role="tab"
            aria-selected={r.number === shown}
            data-revision={r.number}
            className={`btn join-item btn-sm flex-1 ${r.number === shown ? 'btn-neutral' : ''}`}
            onClick={() => show(r.number)}
          >
            r{r.number} {r.number === 0 ? 'as received' : r.repair?.called || r.repair?.method}
          </button>
        ))}
      </div>
      {repaired.length > 1 && (
        <table className="mt-2 w-full text-xs tabular-nums" aria-label="Comparison">
          <thead className="text-left opacity-60">
            <tr><th></th><th>method</th><th>triangles</th><th>off by mm</th><th>volume</th></tr>
          </thead>
          <tbody>
            {repaired.map((r) => (
              <tr key={r.number} className="border-t border-base-300">
                <td className="py-0.5 pr-1">r{r.number}</td>
                <td>{r.repair!.called || r.repair!.method}{r.repair!.repaired ? '' : ', not solid'}</td>
                <td>{count(r.triangles)}</td>
                <td>{r.repair!.deviation_mm ? digits(r.repair!.deviation_mm.max) : '–'}</td>
                <td>{r.repair!.volume_change_mm3 === null ? '–' : `${r.repair!.volume_change_mm3 > 0 ? '+' : ''}${digits(r.repair!.volume_change_mm3 / 1000)} cm³`}</td>
              </tr>
            ))}
          </tbody>
        </table>
      )}
      {revisions.length > 1 && (
        <p className="mt-2 text-sm">
          <Link id="compare" className="link" to={`/parts/${part}/compare?b=${shown || revisions.length - 1}`} title="Key c">Compare with what was received</Link>
        </p>
      )}
      {one && (
        <p className="mt-1 text-sm opacity-70">
          {one.number > 0 && one.parent !== null && one.parent > 0 && `from r${one.parent}, `}
          {one.triangles > 0 && `${count(one.triangles)} triangles, `}
          {bytes(one.file_bytes)}
        </p>
      )}
      {one?.repair && (
        <ol className="mt-2 max-h-32 list-decimal space-y-1 overflow-auto pl-5 text-sm">
          {one.repair.steps.map((s, i) => (
            <li key={i}>
              <span className="font-medium">{s.title}</span>: {s.undone ? `undone, for ${s.undone}` : s.detail || 'nothing to change'}
              {s.left && <span className="text-accent"> ({s.left})</span>}
            </li>
          ))}
        </ol>
      )}
      {one?.repair?.deviation_mm && (
        <p className="mt-2 text-sm opacity-70">
          At most {digits(one.repair.deviation_mm.max)} mm from the surface as received, {digits(one.repair.deviation_mm.mean)} mm on average.
        </p>
      )}
    </section>
  )
}
