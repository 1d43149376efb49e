import { useQuery } from '@tanstack/react-query'
import { address, get, type InsightsOf, type Kind } from '../../shared/api'
import { Trouble } from '../../shared/Trouble'
import { count, digits, plural, volume } from '../../shared/words'
import { useAddress } from '../part/address'
import { became, SignOffs, Tally, Weeks } from './Charts'

/** Insights is what came in the last weeks, and what became of it; every bar leads to its parts. */
export function Insights() {
  const { search, go } = useAddress()
  const weeks = Number(search.get('weeks') ?? 12)
  const finding = search.get('finding') ?? ''
  const asked = `weeks=${weeks}` + (finding && `&finding=${finding}`)
  const query = useQuery({ queryKey: ['insights', asked], queryFn: () => get<InsightsOf>(`/insights?${asked}`), placeholderData: (old) => old })
  const kinds = useQuery({ queryKey: ['kinds'], queryFn: () => get<Kind[]>('/kinds'), staleTime: Infinity })
  const title = (kind: string) => kinds.data?.find((k) => k.name === kind)?.title ?? kind
  const d = query.data
  const since = `since=${d?.since.slice(0, 10)}`
  const also = finding && `&finding=${finding}&trouble=1`
  return (
    <div className="mx-auto max-w-6xl p-6">
      <div className="mb-4 flex flex-wrap items-center gap-3">
        <h1 className="text-xl font-semibold">Insights</h1>
        <select className="select select-sm w-40" aria-label="how far back" value={weeks} onChange={(e) => go({ weeks: e.target.value })}>
          {[4, 12, 26, 52].map((n) => <option key={n} value={n}>last {n} weeks</option>)}
        </select>
        <select className="select select-sm w-56" aria-label="which parts" value={finding} onChange={(e) => go({ finding: e.target.value || undefined })}>
          <option value="">all parts</option>
          {kinds.data?.map((k) => <option key={k.name} value={k.name}>those with: {k.title}</option>)}
        </select>
        <a className="btn btn-sm ml-auto" href={address(`/insights.csv?${asked}`)} download>CSV</a>
      </div>
      <Trouble error={query.error} retry={() => query.refetch()} />
      {d && (
        <>
          <Short in={d} />
          <Section title="What became of it, by week"><Weeks weeks={d.weeks} also={also} /></Section>
          <div className="grid gap-6 lg:grid-cols-2">
            <Section title="What is found">
              <Tally label="Findings" rows={d.findings.map((f) => ({ name: title(f.kind), n: f.parts, of: f.parts, note: `${f.settled} of them pass now`, to: `/search?finding=${f.kind}&trouble=1&${since}` }))} />
            </Section>
            <div>
              <Section title="Who sends it">
                <Tally label="Customers" rows={d.customers.map((c) => ({ name: c.name, n: c.troubled, of: c.parts, note: c.kinds?.map(title).join(', '), to: `/search?customer=${encodeURIComponent(c.name)}&${since}&trouble=1${finding && `&finding=${finding}`}` }))} />
              </Section>
              <Section title="In which format">
                <Tally label="Formats" rows={d.formats.map((f) => ({ name: f.name, n: f.troubled, of: f.parts, to: `/search?format=${f.name}&${since}&trouble=1${finding && `&finding=${finding}`}` }))} />
              </Section>
              {d.signed_off > 0 && <Section title="Hours from intake to sign-off, the middle one of each week"><SignOffs weeks={d.weeks} also={also} /></Section>}
            </div>
          </div>
        </>
      )}
    </div>
  )
}

/** Short is the few figures that sum it up. */
function Short({ in: d }: { in: InsightsOf }) {
  const all = d.weeks.reduce((sum, w) => sum + w.parts, 0)
  const saved = d.hollowed.reduce((sum, h) => sum + h.volume_mm3, 0)
  return (
    <div className="mb-6 flex flex-wrap gap-3" aria-label="In short">
      <Figure name="parts received" value={count(all)} />
      {became.map((b) => <Figure key={b.key} name={b.label} value={all ? `${Math.round((100 * d.weeks.reduce((sum, w) => sum + w[b.key], 0)) / all)} %` : '–'} />)}
      {d.hours_to_sign_off !== null && <Figure name={`hours to sign-off, ${plural(d.signed_off, 'part')}`} value={digits(d.hours_to_sign_off)} />}
      {saved > 0 && (
        <Figure name={`saved by hollowing, worth ${d.hollowed.reduce((sum, h) => sum + h.price, 0).toFixed(2)}`} value={volume(saved)} title={d.hollowed.map((h) => `${h.process}: ${plural(h.parts, 'part')}, ${digits(h.mass_g)} g`).join('; ')} />
      )}
    </div>
  )
}

const Figure = ({ name, value, title }: { name: string; value: string; title?: string }) => (
  <div title={title} className="min-w-28 flex-auto rounded-box border border-base-300 bg-base-100 p-3">
    <div className="text-2xl font-semibold tabular-nums">{value}</div>
    <div className="text-sm opacity-70">{name}</div>
  </div>
)

const Section = ({ title, children }: { title: string; children: React.ReactNode }) => (
  <section className="mb-6 rounded-box border border-base-300 bg-base-100 p-4" aria-label={title}>
    <h2 className="mb-3 font-semibold">{title}</h2>
    {children}
  </section>
)
