import type { Comparison, Process, Report } from '../../shared/api'
import { area, bytes, count, digits, foundAs, size, volume } from '../../shared/words'

/** Row is one line of the table: a name, before, after, and whether that is a change. */
export type Row = [name: string, before: string, after: string]

/** rows says what is compared of two reports, in the order in which people ask. */
export function rows(found: Comparison): Row[] {
  const say = (r: Report | null, f: (r: Report) => string) => (r ? f(r) : '–')
  const both = (name: string, f: (r: Report) => string): Row => [name, say(found.a, f), say(found.b, f)]
  return [
    both('Verdict', (r) => r.verdict),
    both('Size', (r) => size(r.geometry.size_mm)),
    both('Volume', (r) => (r.geometry.volume_mm3 === null ? 'none' : volume(r.geometry.volume_mm3))),
    both('Area', (r) => area(r.geometry.area_mm2)),
    both('Triangles', (r) => count(r.geometry.triangles)),
    both('File', (r) => bytes(r.file.bytes)),
    both('Shells', (r) => count(r.geometry.shells)),
    ['Hollows', ...(found.hollows.map(count) as [string, string])],
    ['Through-holes', ...(found.through_holes.map((n) => (n === null ? 'unknown' : count(n))) as [string, string])],
  ]
}

/** kinds lists what was found before or after. */
export function kinds(found: Comparison): Row[] {
  const names = new Set([...(found.a?.findings ?? []), ...(found.b?.findings ?? [])].map((f) => f.kind))
  const n = (r: Report | null, kind: string) => r?.findings.find((f) => f.kind === kind)?.count ?? 0
  return [...names].map((kind) => [foundAs(kind, 1).replace('1 × ', ''), count(n(found.a, kind)), count(n(found.b, kind))])
}

/** Differences is the table of what two revisions have and have not in common. */
export function Differences({ found, a, b, process }: { found: Comparison; a: number; b: number; process: Process | undefined }) {
  const d = found.deviation_mm
  return (
    <section aria-label="Table" className="text-sm">
      {d && (
        <p className="mb-3">
          The surfaces are at most <strong data-most>{digits(d.max)} mm</strong> apart, {digits(d.mean)} mm on average; 99 of 100 places within {digits(d.p99)} mm.
          {process && d.max < process.detail_mm && ` That is below the ${digits(process.detail_mm)} mm that the process shows.`}
        </p>
      )}
      <Table head={['', `r${a}`, `r${b}`]} rows={rows(found)} />
      <h2 className="mb-1 mt-4 font-semibold">Findings</h2>
      <Table head={['', `r${a}`, `r${b}`]} rows={kinds(found)} />
    </section>
  )
}

function Table({ head, rows }: { head: string[]; rows: Row[] }) {
  return (
    <table className="w-full tabular-nums">
      <thead className="text-left text-xs opacity-60"><tr>{head.map((h, i) => <th key={i} className="py-0.5 font-normal">{h}</th>)}</tr></thead>
      <tbody>
        {rows.map(([name, before, after]) => (
          <tr key={name} className="border-t border-base-300 align-top">
            <td className="py-1 pr-2 opacity-70">{name}</td>
            <td className="py-1 pr-2">{before}</td>
            <td className={`py-1 ${before === after ? '' : 'font-medium'}`}>{after}</td>
          </tr>
        ))}
      </tbody>
    </table>
  )
}
