// The mesh as the service sends it for showing: see WriteView in the core.
import type { Vec3 } from '../shared/api'

export interface MeshView {
  centre: Vec3 // mm; positions are relative to it
  positions: Float32Array
  indices: Uint32Array
  walls: Float32Array // eight for each sample: where, normal, wall straight through and by the ball inside, mm
  shells: Uint32Array // of each triangle: the number of its shell, from 1
}

/** Walls are told apart from the thinnest that prints to this many times it, as the service measures them. */
export const wallTimes = 4

const magic = 0x31564e56 // "VNV1"
const headerBytes = 40

/** readView takes the bytes apart without copying them. */
export function readView(bytes: ArrayBuffer): MeshView {
  const head = new DataView(bytes)
  if (bytes.byteLength < headerBytes || head.getUint32(0, true) !== magic) throw new Error('The view data cannot be read.')
  const vertices = head.getUint32(4, true)
  const indices = head.getUint32(8, true)
  const walls = head.getUint32(12, true)
  const end = headerBytes + 12 * vertices + 4 * indices
  const whole = end + 32 * walls + (4 * indices) / 3
  const older = bytes.byteLength === end + 32 * walls // kept from before shells were told
  if (bytes.byteLength !== whole && !older) throw new Error('The view data is cut short.')
  return {
    centre: [head.getFloat64(16, true), head.getFloat64(24, true), head.getFloat64(32, true)],
    positions: new Float32Array(bytes, headerBytes, 3 * vertices),
    indices: new Uint32Array(bytes, headerBytes + 12 * vertices, indices),
    walls: new Float32Array(bytes, end, 8 * walls),
    shells: older ? new Uint32Array(indices / 3) : new Uint32Array(bytes, end + 32 * walls, indices / 3),
  }
}

/** indicesWithout leaves the triangles of some shells out, and those of all others but one when that is given. */
export function indicesWithout(mesh: MeshView, hidden: ReadonlySet<number>, only?: number): Uint32Array {
  if (hidden.size === 0 && only === undefined) return mesh.indices
  const kept = new Uint32Array(mesh.indices.length)
  let n = 0
  for (let t = 0; t < mesh.shells.length; t++) {
    const shell = mesh.shells[t]!
    if (only !== undefined ? shell !== only : hidden.has(shell)) continue
    kept.set(mesh.indices.subarray(3 * t, 3 * t + 3), n)
    n += 3
  }
  return kept.subarray(0, n)
}
