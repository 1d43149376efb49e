import { describe, expect, it } from 'vitest'
import { colourOf, geometryOf } from './painted'
import type { MeshView } from './viewdata'

/** three triangles in a row: bare, textured, red. */
const view = {
  positions: new Float32Array([0, 0, 0, 1, 0, 0, 0, 1, 0, 1, 1, 0, 0, 2, 0]),
  indices: new Uint32Array([0, 1, 2, 1, 3, 2, 2, 3, 4]),
  paint: {
    colours: new Uint32Array([0, 0, 0, 0, 0, 0, 0xff0000ff, 0xff0000ff, 0xff0000ff]),
    covers: { textures: new Uint32Array(21), at: new Float32Array(21) },
    textures: [new Uint8Array()],
  },
} as unknown as MeshView
const { covers } = view.paint!
covers!.at.set([0.25, 0.5, 1, 0, 0, 1], 8)
covers!.textures[7] = 1

describe('a painted surface', () => {
  it('has corners of its own, those of each texture together', () => {
    const g = geometryOf(view, undefined)
    expect(g.groups).toEqual([{ start: 0, count: 6, materialIndex: 0 }, { start: 6, count: 3, materialIndex: 1 }])
    const position = g.getAttribute('position')
    expect([position.getX(3), position.getY(5)]).toEqual([0, 2]) // the red one comes second
    expect([position.getX(6), position.getX(7)]).toEqual([1, 1])
    const colour = g.getAttribute('color')
    expect([colour.getX(3), colour.getY(3)]).toEqual([1, 0])
    expect(colour.getX(6)).toBe(1) // white below the texture
    expect(colour.getX(0)).toBeLessThan(0.7)
    const uv = g.getAttribute('uv')
    expect([uv.getX(6), uv.getY(6), uv.getX(7), uv.getY(8)]).toEqual([0.25, 0.5, 1, 1])
  })
  it('shows only what is left of it', () => {
    const g = geometryOf(view, new Uint32Array([1]))
    expect(g.groups).toEqual([{ start: 0, count: 3, materialIndex: 1 }])
  })
  it('is as bright as the colours say', () => {
    const to = new Float32Array(3)
    colourOf(0x80808080, false, to, 0)
    expect(to[1]).toBeCloseTo(0.2158, 3)
  })
})
