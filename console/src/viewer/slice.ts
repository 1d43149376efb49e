// Cutting a mesh at a height, as the printer will see it.
import type { MeshView } from './viewdata'

export interface Layer {
  loops: Float32Array[] // closed lines, x and y alternating, solid to the left
  open: Float32Array[] // lines that do not close: the layer leaks there
}

/**
 * slice cuts a mesh at a height, relative to its centre.
 *
 * Idea: the cut enters and leaves each triangle through two of its edges; an edge is
 * cut in the same point by both of its triangles, so segments join by their edges'
 * numbers. A vertex at the height counts as above it. Cost: one look at each triangle.
 */
export function slice(mesh: MeshView, z: number): Layer {
  const p = mesh.positions
  const n = p.length / 3
  const next = new Map<number, number[]>() // from the edge where segments begin to those where they end
  const into = new Map<number, number>()
  const edge = (a: number, b: number) => (a < b ? a * n + b : b * n + a)
  for (let i = 0; i < mesh.indices.length; i += 3) {
    const v = [mesh.indices[i]!, mesh.indices[i + 1]!, mesh.indices[i + 2]!] as const
    const above = (p[3 * v[0] + 2]! >= z ? 1 : 0) + (p[3 * v[1] + 2]! >= z ? 2 : 0) + (p[3 * v[2] + 2]! >= z ? 4 : 0)
    if (above === 0 || above === 7) continue
    // The corner that is alone on its side: the segment runs from its one edge to its other.
    const lone = above === 1 || above === 6 ? 0 : above === 2 || above === 5 ? 1 : 2
    const before = edge(v[(lone + 2) % 3]!, v[lone]!)
    const after = edge(v[lone]!, v[(lone + 1) % 3]!)
    const up = above === 1 || above === 2 || above === 4
    const [from, to] = up ? [before, after] : [after, before]
    const list = next.get(from)
    if (list) list.push(to)
    else next.set(from, [to])
    into.set(to, (into.get(to) ?? 0) + 1)
  }
  const point = (e: number): [number, number] => {
    const a = Math.floor(e / n)
    const b = e % n
    const f = (z - p[3 * a + 2]!) / (p[3 * b + 2]! - p[3 * a + 2]!)
    return [p[3 * a]! + f * (p[3 * b]! - p[3 * a]!), p[3 * a + 1]! + f * (p[3 * b + 1]! - p[3 * a + 1]!)]
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

/** areaOf is the area that a layer's closed lines enclose, those that run backwards taken off, mm². */
export function areaOf(layer: Layer): number {
  let sum = 0
  for (const l of layer.loops) {
    for (let i = 0, j = l.length - 2; i < l.length; j = i, i += 2) sum += l[j]! * l[i + 1]! - l[i]! * l[j + 1]!
  }
  return sum / 2
}
