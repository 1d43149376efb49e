// The mesh as the service sends it for showing: see WriteView in the core.
import type { Vec3 } from '../shared/api'

export interface MeshView {
  centre: Vec3 // mm; positions are relative to it
  positions: Float32Array
  indices: Uint32Array
  walls: Float32Array // eight for each sample: where, normal, wall straight through and by the ball inside, mm
  shells: Uint32Array // of each triangle: the number of its shell, from 1
  paint?: Paint | undefined
}

/** Paint is what a mesh is painted with, triangle by triangle. */
export interface Paint {
  colours: Uint32Array // of each corner, 0xRRGGBBAA; 0 for none
  covers?: { textures: Uint32Array; at: Float32Array } | undefined // seven for each triangle: its texture from 1, or 0; then where in it the corners lie
  textures: Uint8Array[] // PNG or JPEG; empty for what cannot be drawn
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
  if (bytes.byteLength < whole && !older) throw new Error('The view data is cut short.')
  return {
    centre: [head.getFloat64(16, true), head.getFloat64(24, true), head.getFloat64(32, true)],
    positions: new Float32Array(bytes, headerBytes, 3 * vertices),
    indices: new Uint32Array(bytes, headerBytes + 12 * vertices, indices),
    walls: new Float32Array(bytes, end, 8 * walls),
    shells: older ? new Uint32Array(indices / 3) : new Uint32Array(bytes, end + 32 * walls, indices / 3),
    paint: bytes.byteLength > whole ? readPaint(bytes, whole, indices / 3) : undefined,
  }
}

function readPaint(bytes: ArrayBuffer, from: number, triangles: number): Paint {
  const short = () => new Error('The view data is cut short.')
  const count = new DataView(bytes).getUint32(from, true)
  const colours = from + 4
  const covers = colours + 12 * triangles
  let at = covers + (count > 0 ? 28 * triangles : 0)
  if (at > bytes.byteLength) throw short()
  const textures: Uint8Array[] = []
  for (let i = 0; i < count; i++) {
    if (at + 4 > bytes.byteLength) throw short()
    const length = new DataView(bytes).getUint32(at, true)
    if (at + 4 + length > bytes.byteLength) throw short()
    textures.push(new Uint8Array(bytes, at + 4, length))
    at += 4 + Math.ceil(length / 4) * 4
  }
  return {
    colours: new Uint32Array(bytes, colours, 3 * triangles),
    covers: count > 0 ? { textures: new Uint32Array(bytes, covers, 7 * triangles), at: new Float32Array(bytes, covers, 7 * triangles) } : undefined,
    textures,
  }
}

/** trianglesLeft lists the triangles that are shown when some shells are hidden, and all but one when that is given; undefined for all. */
export function trianglesLeft(mesh: MeshView, hidden: ReadonlySet<number>, only?: number): Uint32Array | undefined {
  if (hidden.size === 0 && only === undefined) return undefined
  const kept = new Uint32Array(mesh.shells.length)
  let n = 0
  for (let t = 0; t < mesh.shells.length; t++) {
    const shell = mesh.shells[t]!
    if (only !== undefined ? shell === only : !hidden.has(shell)) kept[n++] = t
  }
  return kept.subarray(0, n)
}

/** indicesOf are the corners of the triangles that are listed, of all for undefined. */
export function indicesOf(mesh: MeshView, triangles: Uint32Array | undefined): Uint32Array {
  if (!triangles) return mesh.indices
  const indices = new Uint32Array(3 * triangles.length)
  triangles.forEach((t, i) => indices.set(mesh.indices.subarray(3 * t, 3 * t + 3), 3 * i))
  return indices
}
