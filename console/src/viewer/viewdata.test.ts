import { describe, expect, it } from 'vitest'
import { indicesOf, readView, trianglesLeft } from './viewdata'

function encoded(): ArrayBuffer {
  const bytes = new ArrayBuffer(40 + 3 * 12 + 3 * 4 + 32 + 4)
  const view = new DataView(bytes)
  view.setUint32(0, 0x31564e56, true)
  view.setUint32(4, 3, true)
  view.setUint32(8, 3, true)
  view.setUint32(12, 1, true)
  view.setFloat64(16, 100.5, true)
  new Float32Array(bytes, 40, 9).set([0, 0, 0, 1, 0, 0, 0, 1, 0])
  new Uint32Array(bytes, 76, 3).set([0, 1, 2])
  new Float32Array(bytes, 88, 8).set([1, 2, 3, 0, 0, 1, 0.8, 0.7])
  new Uint32Array(bytes, 120, 1).set([1])
  return bytes
}

describe('view data', () => {
  it('is taken apart without a copy', () => {
    const bytes = encoded()
    const mesh = readView(bytes)
    expect(mesh.centre).toEqual([100.5, 0, 0])
    expect([...mesh.indices]).toEqual([0, 1, 2])
    expect(mesh.positions[3]).toBe(1)
    expect(mesh.walls[7]).toBeCloseTo(0.7)
    expect(mesh.positions.buffer).toBe(bytes)
    expect([...mesh.shells]).toEqual([1])
  })
  it('is refused when it is something else or cut short', () => {
    expect(() => readView(new ArrayBuffer(4))).toThrow('cannot be read')
    expect(() => readView(encoded().slice(0, 80))).toThrow('cut short')
    expect([...readView(encoded().slice(0, 120)).shells]).toEqual([0]) // as it was kept before shells were told
  })
  it('leaves out the shells that are hidden, or all but one', () => {
    const mesh = { ...readView(encoded()), indices: new Uint32Array([0, 1, 2, 3, 4, 5, 6, 7, 8]), shells: new Uint32Array([1, 2, 1]) }
    expect([...trianglesLeft(mesh, new Set([2]))!]).toEqual([0, 2])
    expect([...indicesOf(mesh, trianglesLeft(mesh, new Set([2])))]).toEqual([0, 1, 2, 6, 7, 8])
    expect([...indicesOf(mesh, trianglesLeft(mesh, new Set([2]), 2))]).toEqual([3, 4, 5])
    expect(indicesOf(mesh, trianglesLeft(mesh, new Set()))).toBe(mesh.indices)
  })
  it('carries colours and textures', () => {
    const plain = encoded()
    expect(readView(plain).paint).toBeUndefined()
    const bytes = new ArrayBuffer(plain.byteLength + 4 + 12 + 28 + 4 + 8 + 4)
    new Uint8Array(bytes).set(new Uint8Array(plain))
    const at = plain.byteLength
    new Uint32Array(bytes, at, 5).set([2, 0xff0000ff, 0, 0x00ff00ff, 1])
    new Float32Array(bytes, at + 20, 6).set([0, 0, 1, 0, 0, 1])
    new Uint32Array(bytes, at + 44, 1).set([5]) // bytes of the first texture, filled up to eight
    new Uint8Array(bytes, at + 48, 8).set([1, 2, 3, 4, 5])
    const paint = readView(bytes).paint!
    expect([...paint.colours]).toEqual([0xff0000ff, 0, 0x00ff00ff])
    expect(paint.covers!.textures[0]).toBe(1)
    expect([...paint.covers!.at.subarray(1, 7)]).toEqual([0, 0, 1, 0, 0, 1])
    expect(paint.textures.map((t) => [...t])).toEqual([[1, 2, 3, 4, 5], []])
    for (const short of [plain.byteLength + 10, plain.byteLength + 30, plain.byteLength + 50]) expect(() => readView(bytes.slice(0, short))).toThrow('cut short')
  })
})
