import { useQuery } from '@tanstack/react-query'
import { Link } from 'react-router'
import { address, get, type InsightsOf, type Kind } from '../../shared/api'
import { Trouble } from '../../shared/Trouble'
import { count, digits, outcomes, plural, type Outcome } from '../../shared/words'
import { useAddress } from '../part/address'

const parts: [keyof InsightsOf['weeks'][number] & Outcome, string][] = [['pass', 'as received'], ['repaired', 'mended'], ['repair', 'errors left'], ['hold', 'on hold'], ['reject', 'rejected']]

/** Insights is what came in the last weeks, and what became of it; every bar leads to its parts. */
export function Insights() {
  const { search, go } = useAddress()
  const weeks = Number(search.get('weeks') ?? 12)
  const query = useQuery({ queryKey: ['insights', weeks], queryFn: () => get<InsightsOf>(`/insights?weeks=${weeks}`) })
  const kinds = useQuery({ queryKey: ['kinds'], queryFn: () => get<Kind[]>('/kinds'), staleTime: Infinity })
  const title = (kind: string) => kinds.data?.find((k) => k.name === kind)?.title ?? kind
  const d = query.data
  const since = d?.since.slice(0, 10)
  const all = d?.weeks.reduce((sum, w) => sum + w.parts, 0) ?? 0
  const most = Math.max(1, ...(d?.weeks.map((w) => w.parts) ?? []))
  return (
    <div className="mx-auto max-w-6xl p-6">
      <div className="mb-4 flex items-center gap-3">
        <h1 className="text-xl font-semibold">Insights</h1>
        <select className="select select-sm w-40" aria-label="how far back" value={weeks} onChange={(e) => go({ weeks: e.target.value })}>
          {[4, 12, 26, 52].map((n) => <option key={n} value={n}>last {n} weeks</option>)}
        </select>
        <a className="btn btn-sm ml-auto" href={address(`/insights.csv?weeks=${weeks}`)} download>CSV</a>
      </div>
      <Trouble error={query.error} retry={() => query.refetch()} />
      {d && (
        <>
          <div className="mb-6 grid grid-cols-2 gap-3 md:grid-cols-4" aria-label="In short">
            <Figure name="parts received" value={count(all)} />
            {parts.slice(0, 2).map(([key, label]) => <Figure key={key} name={label} value={all ? `${Math.round((100 * d.weeks.reduce((sum, w) => sum + (w[key] as number), 0)) / all)} %` : '–'} />)}
            <Figure name={d.signed_off ? `hours to sign-off, of ${count(d.signed_off)}` : 'signed off yet'} value={d.hours_to_sign_off === null ? '0' : digits(d.hours_to_sign_off)} />
          </div>
          <Section title="By week">
            <ul className="space-y-1.5" aria-label="Weeks">
              {d.weeks.map((w) => (
                <li key={w.monday} className="grid grid-cols-[6.5rem_1fr_5rem] items-center gap-3 text-sm">
                  <span className="tabular-nums opacity-70">{w.monday}</span>
                  <span className="flex h-5 gap-0.5" style={{ width: `${(100 * w.parts) / most}%` }}>
                    {parts.map(([key, label]) =>
                      w[key] ? (
                        <Link key={key} to={`/search?verdict=${key === 'repaired' ? 'pass' : key}&since=${w.monday}&until=${sunday(w.monday)}`} className={`grid min-w-4 place-items-center rounded-sm text-xs font-bold ${outcomes[key].fill}`} style={{ flexGrow: w[key] as number }} title={`${w[key]} ${label}`}>
                          {outcomes[key].letter}
                        </Link>
                      ) : null,
                    )}
                  </span>
                  <span className="text-right tabular-nums">{plural(w.parts, 'part')}</span>
                </li>
              ))}
            </ul>
            <p className="mt-3 flex gap-4 text-sm">
              {parts.map(([key, label]) => (
                <span key={key} className="inline-flex items-center gap-1.5"><span className={`grid size-4 place-items-center rounded-selector text-[10px] font-bold ${outcomes[key].fill}`}>{outcomes[key].letter}</span>{label}</span>
              ))}
            </p>
          </Section>
          <div className="grid gap-6 lg:grid-cols-2">
            <Section title="What is found">
              <Bars rows={d.findings.map((f) => ({ name: title(f.kind), n: f.parts, of: f.parts, note: `${f.settled} pass now`, to: `/search?finding=${f.kind}&since=${since}` }))} />
            </Section>
            <div>
              <Section title="Who sends it">
                <Bars rows={d.customers.map((c) => ({ name: c.name, n: c.troubled, of: c.parts, note: c.kinds?.map(title).join(', '), to: `/search?customer=${encodeURIComponent(c.name)}&since=${since}` }))} />
              </Section>
              <Section title="In which format">
                <Bars rows={d.formats.map((f) => ({ name: f.name, n: f.troubled, of: f.parts }))} />
              </Section>
            </div>
          </div>
        </>
      )}
    </div>
  )
}

/** sunday is the last day of a week that begins on a Monday. */
export function sunday(monday: string): string {
  return new Date(Date.parse(monday) + 6 * 86_400_000).toISOString().slice(0, 10)
}

const Figure = ({ name, value }: { name: string; value: string }) => (
  <div className="rounded-box border border-base-300 bg-base-100 p-4">
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

interface Row {
  name: string
  n: number // with errors or questions
  of: number
  note?: string | undefined
  to?: string
}

/** Bars shows for each row how many parts have errors or questions, within all that there are. */
function Bars({ rows }: { rows: Row[] }) {
  const most = Math.max(1, ...rows.map((r) => r.of))
  if (rows.length === 0) return <p className="text-sm opacity-70">Nothing yet.</p>
  return (
    <ul className="space-y-2 text-sm">
      {rows.map((r) => (
        <li key={r.name}>
          <div className="flex justify-between gap-2">
            {r.to ? <Link to={r.to} className="link link-hover truncate">{r.name}</Link> : <span>{r.name}</span>}
            <span className="whitespace-nowrap tabular-nums opacity-70">{r.n === r.of ? plural(r.n, 'part') : `${r.n} of ${plural(r.of, 'part')}`}</span>
          </div>
          <div className="h-2 rounded-full bg-base-300" style={{ width: `${(100 * r.of) / most}%` }}>
            <div className="h-2 rounded-full bg-secondary" style={{ width: `${(100 * r.n) / Math.max(r.of, 1)}%` }} />
          </div>
          {r.note && <div className="text-xs opacity-60">{r.note}</div>}
        </li>
      ))}
    </ul>
  )
}
