// Cutting a mesh across an axis: at a height, as the printer will see it.
import type { MeshView } from './viewdata'

export type Axis = 0 | 1 | 2

export interface Layer {
  loops: Float32Array[] // closed lines, u and v alternating, solid to the left
  open: Float32Array[] // lines that do not close: the layer leaks there
}

/** across are the two axes of a cut, u and v, so that u, v and the cut's axis turn like x, y and z. */
export const across = (axis: Axis): [Axis, Axis] => (axis === 2 ? [0, 1] : axis === 0 ? [1, 2] : [2, 0])

/**
 * slice cuts a mesh across an axis, at z relative to its centre; the axis is the height unless another is given.
 *
 * Idea: the cut enters and leaves each triangle through two of its edges; an edge is
 * cut in the same point by both of its triangles, so segments join by their edges'
 * numbers. A vertex at the height counts as above it. Cost: one look at each triangle.
 */
export function slice(mesh: MeshView, z: number, axis: Axis = 2): Layer {
  const p = mesh.positions
  const [u, w] = across(axis)
  const n = p.length / 3
  const next = new Map<number, number[]>() // from the edge where segments begin to those where they end
  const into = new Map<number, number>()
  const edge = (a: number, b: number) => (a < b ? a * n + b : b * n + a)
  for (let i = 0; i < mesh.indices.length; i += 3) {
    const v = [mesh.indices[i]!, mesh.indices[i + 1]!, mesh.indices[i + 2]!] as const
    const above = (p[3 * v[0] + axis]! >= z ? 1 : 0) + (p[3 * v[1] + axis]! >= z ? 2 : 0) + (p[3 * v[2] + axis]! >= z ? 4 : 0)
    if (above === 0 || above === 7) continue
    // The corner that is alone on its side: the segment runs from its one edge to its other.
    const lone = above === 1 || above === 6 ? 0 : above === 2 || above === 5 ? 1 : 2
    const before = edge(v[(lone + 2) % 3]!, v[lone]!)
    const after = edge(v[lone]!, v[(lone + 1) % 3]!)
    const up = above === 1 || above === 2 || above === 4
    const [from, to] = up ? [after, before] : [before, after]
    const list = next.get(from)
    if (list) list.push(to)
    else next.set(from, [to])
    into.set(to, (into.get(to) ?? 0) + 1)
  }
  const point = (e: number): [number, number] => {
    const a = Math.floor(e / n)
    const b = e % n
    const f = (z - p[3 * a + axis]!) / (p[3 * b + axis]! - p[3 * a + axis]!)
    return [p[3 * a + u]! + f * (p[3 * b + u]! - p[3 * a + u]!), p[3 * a + w]! + f * (p[3 * b + w]! - p[3 * a + w]!)]
  }
  const layer: Layer = { loops: [], open: [] }
  const walk = (start: number) => {
    const line = [...point(start)]
    let at = start
    for (;;) {
      const list = next.get(at)
      const to = list?.pop()
      if (to === undefined) {
        layer.open.push(new Float32Array(line))
        return
      }
      if (list!.length === 0) next.delete(at)
      if (to === start) {
        layer.loops.push(new Float32Array(line))
        return
      }
      line.push(...point(to))
      at = to
    }
  }
  for (const e of [...next.keys()]) while ((next.get(e)?.length ?? 0) > (into.get(e) ?? 0)) walk(e) // lines that begin somewhere
  for (const e of [...next.keys()]) while (next.has(e)) walk(e)
  return layer
}

/** enclosed is the area within a closed line, mm²; less than 0 when it runs clockwise. */
export function enclosed(l: Float32Array): number {
  let sum = 0
  for (let i = 0, j = l.length - 2; i < l.length; j = i, i += 2) sum += l[j]! * l[i + 1]! - l[i]! * l[j + 1]!
  return sum / 2
}

/** areaOf is the area that a layer's closed lines enclose, holes taken off, mm². */
export const areaOf = (layer: Layer) => layer.loops.reduce((sum, l) => sum + enclosed(l), 0)

function holds(l: Float32Array, x: number, y: number): boolean {
  let within = false
  for (let i = 0, j = l.length - 2; i < l.length; j = i, i += 2) {
    if (l[i + 1]! > y !== l[j + 1]! > y && x < l[i]! + ((y - l[i + 1]!) / (l[j + 1]! - l[i + 1]!)) * (l[j]! - l[i]!)) within = !within
  }
  return within
}

export interface Region {
  outer: Float32Array
  holes: Float32Array[]
}

/**
 * regions tells solid from hollow: a line with the solid within is a region, one that
 * runs the other way a hole in the smallest region around it. Holes in nothing are
 * listed beside: their surface faces the wrong way, or what was around them leaks.
 */
export function regions(layer: Layer): { solid: Region[]; backwards: Float32Array[] } {
  const solid = layer.loops
    .map((outer) => ({ outer, holes: [] as Float32Array[], area: enclosed(outer) }))
    .filter((r) => r.area > 0)
    .sort((a, b) => a.area - b.area)
  const backwards: Float32Array[] = []
  for (const l of layer.loops) {
    const area = enclosed(l)
    if (area > 0) continue
    const around = solid.find((r) => r.area > -area && holds(r.outer, l[0]!, l[1]!))
    if (around) around.holes.push(l)
    else if (area < 0) backwards.push(l)
  }
  return { solid, backwards }
}
