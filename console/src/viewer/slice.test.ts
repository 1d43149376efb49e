import { describe, expect, it } from 'vitest'
import { areaOf, enclosed, regions, slice } from './slice'
import type { MeshView } from './viewdata'

/** A block as twelve triangles, facing outward, or inward. */
function block(low: number, high: number, inward = false): { positions: number[]; indices: number[] } {
  const positions: number[] = []
  for (let i = 0; i < 8; i++) positions.push(i & 1 ? high : low, i & 2 ? high : low, i & 4 ? high : low)
  const sides = [[0, 2, 3, 1], [4, 5, 7, 6], [0, 1, 5, 4], [2, 6, 7, 3], [0, 4, 6, 2], [1, 3, 7, 5]]
  const indices = sides.flatMap(([a, b, c, d]) => (inward ? [a!, c!, b!, a!, d!, c!] : [a!, b!, c!, a!, c!, d!]))
  return { positions, indices }
}

function mesh(...blocks: { positions: number[]; indices: number[] }[]): MeshView {
  const positions: number[] = []
  const indices: number[] = []
  for (const b of blocks) {
    const first = positions.length / 3
    positions.push(...b.positions)
    indices.push(...b.indices.map((i) => first + i))
  }
  return { centre: [0, 0, 0], positions: new Float32Array(positions), indices: new Uint32Array(indices), walls: new Float32Array(), shells: new Uint32Array(indices.length / 3) }
}

describe('a layer', () => {
  it('encloses what is solid there, along every axis', () => {
    const solid = mesh(block(-5, 5))
    for (const axis of [0, 1, 2] as const) {
      const layer = slice(solid, 1.25, axis)
      expect(layer.loops).toHaveLength(1)
      expect(layer.open).toHaveLength(0)
      expect(areaOf(layer)).toBeCloseTo(100)
    }
    expect(slice(solid, 7).loops).toHaveLength(0)
  })
  it('takes hollows off', () => {
    const layer = slice(mesh(block(-5, 5), block(-2, 2, true)), 0)
    expect(areaOf(layer)).toBeCloseTo(84)
    const { solid, backwards } = regions(layer)
    expect(solid).toHaveLength(1)
    expect(solid[0]!.holes).toHaveLength(1)
    expect(backwards).toHaveLength(0)
  })
  it('tells hollows in nothing', () => {
    const { solid, backwards } = regions(slice(mesh(block(-5, 5), block(8, 9, true)), 8.5))
    expect(solid).toHaveLength(0)
    expect(backwards.map(enclosed)[0]).toBeCloseTo(-1)
  })
  it('leaks where a triangle is missing', () => {
    const b = block(-5, 5)
    const layer = slice(mesh({ ...b, indices: b.indices.slice(0, -3) }), 1)
    expect(layer.loops).toHaveLength(0)
    expect(layer.open).toHaveLength(1)
  })
  it('has as many loops as there are bodies, however the triangles are shuffled', () => {
    const m = mesh(block(-5, 5), block(6, 9), block(-9, -6))
    const order = [...Array(m.indices.length / 3).keys()].sort((a, b) => ((a * 7919) % 101) - ((b * 7919) % 101))
    const shuffled = { ...m, indices: new Uint32Array(order.flatMap((t) => [...m.indices.subarray(3 * t, 3 * t + 3)])) }
    expect(areaOf(slice(shuffled, 0))).toBeCloseTo(areaOf(slice(m, 0)))
    expect(slice(shuffled, 7).loops).toHaveLength(1)
  })
})
