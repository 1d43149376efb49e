import type { Part } from '../../shared/api'
import { outcome, type Outcome } from '../../shared/words'

export interface Filter {
  outcome: Outcome | undefined
  kind: string | undefined
  text: string
}

export type Order = 'came' | 'name' | 'verdict' | 'size' | 'triangles'

const urgency: Outcome[] = ['hold', 'failed', 'repair', 'reject', 'working', 'repaired', 'pass']
const longest = (p: Part) => Math.max(...p.size_mm)

const orders: Record<Order, (a: Part, b: Part) => number> = {
  came: (a, b) => a.id - b.id,
  name: (a, b) => a.name.localeCompare(b.name, 'en', { numeric: true }),
  verdict: (a, b) => urgency.indexOf(outcome(a)) - urgency.indexOf(outcome(b)),
  size: (a, b) => longest(b) - longest(a),
  triangles: (a, b) => b.triangles - a.triangles,
}

/** choose filters parts and puts them in order; those that are alike stay as they came. */
export function choose(parts: Part[], filter: Filter, order: Order): Part[] {
  const text = filter.text.trim().toLowerCase()
  return parts
    .filter((p) => !filter.outcome || outcome(p) === filter.outcome)
    .filter((p) => !filter.kind || p.findings.some((f) => f.kind === filter.kind))
    .filter((p) => p.name.toLowerCase().includes(text))
    .sort((a, b) => orders[order](a, b) || a.id - b.id)
}

/** kindsOf lists the kinds of findings that some part has. */
export const kindsOf = (parts: Part[]) => [...new Set(parts.flatMap((p) => p.findings.map((f) => f.kind)))].sort()

/** toggled is a selection with one more, or one less; with to, all from the last one to it. */
export function toggled(picked: ReadonlySet<number>, id: number): ReadonlySet<number> {
  const next = new Set(picked)
  if (!next.delete(id)) next.add(id)
  return next
}
