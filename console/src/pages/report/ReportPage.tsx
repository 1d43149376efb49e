import { useQuery } from '@tanstack/react-query'
import { Link, useParams } from 'react-router'
import { address, get, revisionPath, type PartReport } from '../../shared/api'
import { Mark, SeverityMark } from '../../shared/Mark'
import { Trouble } from '../../shared/Trouble'
import { area, bytes, count, digits, outcome, plural, size, volume, when } from '../../shared/words'
import { useAddress } from '../part/address'

/** ReportPage is a part's printability report as a page that can be read, and printed. */
export function ReportPage() {
  const id = Number(useParams().id)
  const { search, go } = useAddress()
  const customer = search.get('for') === 'customer'
  const query = useQuery({ queryKey: ['printability', id, customer], queryFn: () => get<PartReport>(`/parts/${id}/report${customer ? '?for=customer' : ''}`) })
  if (query.error) return <div className="p-6"><Trouble error={query.error} retry={() => query.refetch()} /></div>
  const r = query.data
  if (!r) return null
  return (
    <div className="mx-auto max-w-4xl p-6">
      <div className="mb-3 flex items-center gap-2 text-sm print:hidden">
        <Link to={`/parts/${id}`} className="link link-hover opacity-70">{r.part.name}</Link>
        <div className="ml-auto flex gap-1.5">
          <button className={`btn btn-sm ${customer ? '' : 'btn-neutral'}`} aria-pressed={!customer} onClick={() => go({ for: undefined })}>For the team</button>
          <button className={`btn btn-sm ${customer ? 'btn-neutral' : ''}`} aria-pressed={customer} onClick={() => go({ for: 'customer' })}>For the customer</button>
          <a className="btn btn-primary btn-sm" href={address(`/parts/${id}/report.pdf${customer ? '?for=customer' : ''}`)} target="_blank" rel="noreferrer">PDF</a>
        </div>
      </div>
      <ReportArticle report={r} received={address(revisionPath(id, 0, 'picture'))} now={address(revisionPath(id, r.part.current, 'picture'))} />
    </div>
  )
}

/** ReportArticle is the report itself; its pictures come from where they are told. */
export function ReportArticle({ report: r, received, now }: { report: PartReport; received: string; now: string }) {
  const g = r.now?.geometry
  return (
    <article className="rounded-box border border-base-300 bg-base-100 p-8" aria-label="Printability report">
      <div className="flex items-center gap-3">
        <Mark outcome={outcome(r.part)} wordless />
        <h1 className="text-2xl font-semibold">{r.part.name}</h1>
      </div>
      <p className="mt-1" id="says">{r.says}</p>
      <Pairs
        rows={[
          ['Order', `${r.batch.name} for ${r.batch.customer}`],
          ['Received', `${when(r.batch.created_at)}${r.batch.created_by ? `, by ${r.batch.created_by}` : ''}, ${r.part.format && `${r.part.format}, `}${bytes(r.part.bytes)}`],
          ['Process', `${r.process.title}: walls from ${digits(r.process.wall_mm)} mm, detail from ${digits(r.process.detail_mm)} mm, layers of ${digits(r.process.layer_mm)} mm`],
        ]}
      />
      {r.part.has_picture && (
        <div className="mt-4 grid grid-cols-2 gap-4">
          <Picture src={received} under="as received" />
          {r.part.current > 0 && <Picture src={now} under="as handed over" />}
        </div>
      )}
      {g && (
        <Section title="The part">
          <Pairs
            rows={[
              ['Size', size(g.size_mm)],
              ['Unit of the file', r.received ? `${r.received.unit.chosen}${r.part.unit_set ? ', as was decided' : ''}` : ''],
              ['Volume', g.volume_mm3 === null ? 'none' : `${volume(g.volume_mm3)}, surface ${area(g.area_mm2)}`],
              ...(r.now?.material ? ([['Material if solid', `${digits(r.now.material.grams)} g, ${r.now.material.price.toFixed(2)}`]] as [string, string][]) : []),
              ['Mesh', `${plural(g.triangles, 'triangle')}, ${plural(g.shells, 'shell')}`],
            ]}
          />
        </Section>
      )}
      {r.received && (
      <Section title="What was found, and what is left">
        {r.findings.length === 0 && <p>Nothing.</p>}
        <ul className="space-y-2">
          {r.findings.map((f) => (
            <li key={f.kind} className="flex gap-2" data-found={f.kind}>
              <SeverityMark severity={f.severity} />
              <span className="flex-1">
                <span className="font-medium">{f.title}</span>
                <span className="block text-sm opacity-70">{f.after === 0 ? f.what : `${f.summary}. ${f.harm}`}</span>
              </span>
              <span className="whitespace-nowrap text-sm tabular-nums">{count(f.before)}{f.before === f.after ? ', unchanged' : `, now ${count(f.after)}`}</span>
            </li>
          ))}
        </ul>
      </Section>
      )}
      {r.done.length > 0 && (
        <Section title="What was done">
          {r.done.map((d) => (
            <div key={d.revision} className="mb-2">
              <h3 className="font-medium">r{d.revision}, {d.method}</h3>
              <ul className="list-disc pl-5 text-sm">
                {d.steps.map((s, i) => <li key={i}>{s.title}: {s.undone ? `undone, for ${s.undone}` : s.detail}{s.left && ` (${s.left})`}</li>)}
              </ul>
              {d.deviation_mm && <p className="text-sm opacity-70">The surface moved by {digits(d.deviation_mm.max)} mm at most, {digits(d.deviation_mm.mean)} mm on average.</p>}
            </div>
          ))}
        </Section>
      )}
      {(r.answers.length > 0 || r.signoffs.length > 0) && (
        <Section title="Who decided what">
          <Pairs
            rows={[
              ...r.answers.map((a): [string, string] => [a.question.replaceAll('-', ' '), `${a.answer}${a.by && `, ${a.by}`}, ${when(a.at)}`]),
              ...r.signoffs.map((s): [string, string] => ['sign-off', `r${s.revision} ${s.state}${s.decided_by && `, ${s.decided_by}`}, ${when(s.decided_at ?? s.proposed_at)}${s.remark && `: ${s.remark}`}`]),
            ]}
          />
        </Section>
      )}
      {r.notes.length > 0 && (
        <Section title="Notes">
          {r.notes.map((n) => (
            <p key={n.id} className="mb-1 text-sm">{n.text} <span className="opacity-60">{n.created_by}, {when(n.created_at)}</span></p>
          ))}
        </Section>
      )}
    </article>
  )
}

const Section = ({ title, children }: { title: string; children: React.ReactNode }) => (
  <section className="mt-6">
    <h2 className="mb-2 border-b border-base-300 pb-1 font-semibold">{title}</h2>
    {children}
  </section>
)

const Pairs = ({ rows }: { rows: [string, string][] }) => (
  <dl className="mt-2 grid grid-cols-[9rem_1fr] gap-y-1 text-sm">
    {rows.map(([name, value], i) => (
      <div key={i} className="contents">
        <dt className="opacity-60">{name}</dt>
        <dd>{value}</dd>
      </div>
    ))}
  </dl>
)

const Picture = ({ src, under }: { src: string; under: string }) => (
  <figure className="rounded-box border border-base-300 p-3 text-center text-sm">
    <img src={src} alt={under} className="mx-auto max-h-56" />
    <figcaption className="opacity-70">{under}</figcaption>
  </figure>
)
