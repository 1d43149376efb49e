import type { ReactNode } from 'react'
import { Bar, BarChart, CartesianGrid, ResponsiveContainer, XAxis, YAxis } from 'recharts'
import { Link } from 'react-router'
import type { InsightsOf } from '../../shared/api'
import { digits, plural } from '../../shared/words'

type Week = InsightsOf['weeks'][number]

/** outcomes of a week's parts, from the bottom of its bar to the top, with what leads to them. */
export const became = [
  { key: 'pass', label: 'as received', fill: 'fill-success', find: 'verdict=pass&mended=no' },
  { key: 'repaired', label: 'mended', fill: 'fill-secondary', find: 'verdict=pass&mended=yes' },
  { key: 'repair', label: 'errors left', fill: 'fill-warning', find: 'verdict=repair' },
  { key: 'hold', label: 'on hold', fill: 'fill-info', find: 'verdict=hold' },
  { key: 'reject', label: 'rejected', fill: 'fill-error', find: 'verdict=reject' },
] as const

/** sunday is the last day of a week that begins on a Monday. */
export function sunday(monday: string): string {
  return new Date(Date.parse(monday) + 6 * 86_400_000).toISOString().slice(0, 10)
}

const within = (w: Week) => `since=${w.monday}&until=${sunday(w.monday)}`

/** Shape is what the chart tells of a bar that is to be drawn. */
interface Shape<Row> {
  x: number
  y: number
  width: number
  height: number
  payload: Row
}

/** linked draws a bar that leads somewhere. */
const linked = <Row,>(fill: string, to: (row: Row) => string, title: (row: Row) => string) =>
  function LinkedBar(props: unknown) {
    const { x, y, width, height, payload } = props as Shape<Row>
    if (!(width > 0) || !(height > 0)) return <g />
    return (
      <Link to={to(payload)} aria-label={title(payload)}>
        <title>{title(payload)}</title>
        <rect x={x} y={y} width={width} height={height} rx={2} className={`${fill} hover:opacity-80`} />
      </Link>
    )
  }

const axis = { stroke: 'currentColor', tick: { fontSize: 12, fill: 'currentColor' }, tickLine: false } as const

function Frame({ height, label, children }: { height: number; label: string; children: ReactNode }) {
  return (
    <div role="group" aria-label={label} className="text-base-content/70" style={{ height }}>
      <ResponsiveContainer initialDimension={{ width: 800, height }}>{children as React.ReactElement}</ResponsiveContainer>
    </div>
  )
}

const Legend = ({ of }: { of: readonly { label: string; fill: string }[] }) => (
  <p className="mt-2 flex flex-wrap gap-4 text-sm">
    {of.map((l) => (
      <span key={l.label} className="inline-flex items-center gap-1.5">
        <svg viewBox="0 0 10 10" className="size-3" aria-hidden><rect width="10" height="10" rx="2" className={l.fill} /></svg>
        {l.label}
      </span>
    ))}
  </p>
)

/** Weeks shows what became of the parts that came in each week. */
export function Weeks({ weeks, also }: { weeks: Week[]; also: string }) {
  return (
    <>
      <Frame height={240} label="Weeks">
        <BarChart data={weeks} margin={{ top: 4, right: 8, bottom: 0, left: -16 }} barCategoryGap="18%" maxBarSize={72} accessibilityLayer={false}>
          <CartesianGrid vertical={false} stroke="currentColor" strokeOpacity={0.15} />
          <XAxis dataKey="monday" {...axis} />
          <YAxis allowDecimals={false} {...axis} axisLine={false} />
          {became.map((b) => (
            <Bar key={b.key} dataKey={b.key} stackId="parts" isAnimationActive={false} shape={linked<Week>(b.fill, (w) => `/search?${b.find}&${within(w)}${also}`, (w) => `${w[b.key]} ${b.label}, week of ${w.monday}`)} />
          ))}
        </BarChart>
      </Frame>
      <Legend of={became} />
    </>
  )
}

/** SignOffs shows how long it took from intake to sign-off, week by week: the middle one of those parts. */
export function SignOffs({ weeks, also }: { weeks: Week[]; also: string }) {
  return (
    <Frame height={160} label="Hours to sign-off">
      <BarChart data={weeks} margin={{ top: 4, right: 8, bottom: 0, left: -16 }} barCategoryGap="18%" maxBarSize={72} accessibilityLayer={false}>
        <CartesianGrid vertical={false} stroke="currentColor" strokeOpacity={0.15} />
        <XAxis dataKey="monday" {...axis} />
        <YAxis unit=" h" {...axis} axisLine={false} />
        <Bar dataKey="hours_to_sign_off" isAnimationActive={false} minPointSize={2} shape={linked<Week>('fill-accent', (w) => `/search?signed=approved&${within(w)}${also}`, (w) => `${digits(w.hours_to_sign_off ?? 0)} hours, ${plural(w.signed_off, 'part')} signed off, week of ${w.monday}`)} />
      </BarChart>
    </Frame>
  )
}

export interface Row {
  name: string
  n: number // with errors or questions
  of: number
  note?: string | undefined
  to: string
}

const line = 44 // pixels of height that a row takes
const cut = (text: string, letters: number) => (text.length > letters ? text.slice(0, letters - 1) + '…' : text)

/** Name is a row's name at its bar, with what is noted about it. */
function Name({ y, payload, rows }: { y?: number; payload?: { index: number }; rows: Row[] }) {
  const row = rows[payload?.index ?? 0]
  if (!row) return <g />
  return (
    <Link to={row.to}>
      <title>{row.note ? `${row.name}: ${row.note}` : row.name}</title>
      <text x={0} y={(y ?? 0) + (row.note ? -4 : 4)} fontSize={13} className="fill-base-content hover:underline">{cut(row.name, 30)}</text>
      {row.note && <text x={0} y={(y ?? 0) + 11} fontSize={11} className="fill-base-content/60">{cut(row.note, 36)}</text>}
    </Link>
  )
}

/** Tally shows for each row how many parts have errors or questions, before all that there are. */
export function Tally({ rows, label }: { rows: Row[]; label: string }) {
  if (rows.length === 0) return <p className="text-sm opacity-70">Nothing yet.</p>
  const all = (r: Row) => (r.n === r.of ? plural(r.n, 'part') : `${r.n} of ${plural(r.of, 'part')}`)
  const data = rows.map((r) => ({ ...r, rest: r.of - r.n }))
  const found = rows.some((r) => r.n < r.of)
  return (
    <>
      <Frame height={rows.length * line + 26} label={label}>
        <BarChart layout="vertical" data={data} margin={{ top: 0, right: 8, bottom: 0, left: 0 }} barSize={14} accessibilityLayer={false}>
          <CartesianGrid horizontal={false} stroke="currentColor" strokeOpacity={0.15} />
          <XAxis type="number" allowDecimals={false} {...axis} axisLine={false} />
          <YAxis type="category" dataKey="name" width={215} interval={0} {...axis} tick={<Name rows={rows} />} />
          <Bar dataKey="n" stackId="parts" isAnimationActive={false} shape={linked<Row>('fill-secondary', (r) => r.to, (r) => `${r.name}: ${all(r)}`)} />
          <Bar dataKey="rest" stackId="parts" isAnimationActive={false} shape={linked<Row>('fill-base-300', (r) => r.to.replace('&trouble=1', ''), (r) => `${r.name}: ${all(r)}`)} />
        </BarChart>
      </Frame>
      {found && <Legend of={[{ label: 'with errors or questions', fill: 'fill-secondary' }, { label: 'without', fill: 'fill-base-300' }]} />}
    </>
  )
}
