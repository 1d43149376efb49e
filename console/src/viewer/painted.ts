// The surface in its own colours and textures. Corners are apart, for a vertex may wear
// another colour in each triangle.
import * as THREE from 'three'
import { paint as colours } from './paint'
import type { MeshView } from './viewdata'

/** linear is what each of 256 values of a colour is to the graphics hardware. */
const linear = Float32Array.from({ length: 256 }, (_, i) => new THREE.Color().setRGB(i / 255, 0, 0, THREE.SRGBColorSpace).r)
const bare = new THREE.Color(colours.front)

/** colourOf puts a corner's colour into a list; what has none of its own is bare, or white below a texture. */
export function colourOf(rgba: number, covered: boolean, to: Float32Array, at: number) {
  if (rgba === 0) to.set(covered ? [1, 1, 1] : [bare.r, bare.g, bare.b], at)
  else to.set([linear[rgba >>> 24]!, linear[(rgba >>> 16) & 255]!, linear[(rgba >>> 8) & 255]!], at)
}

/** Painted is a mesh that shows a view's paint; it is empty when there is none. */
export class Painted {
  readonly mesh = new THREE.Mesh(new THREE.BufferGeometry(), [] as THREE.MeshLambertMaterial[])
  private of: MeshView | undefined

  constructor(private redraw: () => void) {}

  get materials(): THREE.MeshLambertMaterial[] {
    return this.mesh.material as THREE.MeshLambertMaterial[]
  }

  /** set shows a view, the triangles that are listed or all. */
  set(view: MeshView, kept: Uint32Array | undefined) {
    if (this.of !== view) {
      this.of = view
      this.clear()
      if (view.paint) this.mesh.material = [material(), ...view.paint.textures.map((bytes) => this.textured(bytes))]
    }
    this.mesh.geometry.dispose()
    this.mesh.geometry = view.paint ? geometryOf(view, kept) : new THREE.BufferGeometry()
  }

  /** textured is a material with a texture, which shows when it is decoded. */
  private textured(bytes: Uint8Array): THREE.MeshLambertMaterial {
    const made = material()
    if (bytes.length === 0) return made
    createImageBitmap(new Blob([bytes as BlobPart]), { imageOrientation: 'flipY' }).then((picture) => {
      const map = new THREE.Texture(picture)
      map.flipY = false // it is already
      map.wrapS = map.wrapT = THREE.RepeatWrapping
      map.colorSpace = THREE.SRGBColorSpace
      map.anisotropy = 4
      map.needsUpdate = true
      made.map = map
      made.needsUpdate = true
      this.redraw()
    }, () => {}) // it stays white: the picture in lists does too
    return made
  }

  private clear() {
    for (const m of this.materials) {
      m.map?.dispose()
      m.dispose()
    }
    this.mesh.material = []
  }

  dispose() {
    this.clear()
    this.mesh.geometry.dispose()
  }
}

// Pushed back a little: lines and marks on the surface are of another mesh, whose depths round differently.
const material = () => new THREE.MeshLambertMaterial({ vertexColors: true, flatShading: true, side: THREE.FrontSide, polygonOffset: true, polygonOffsetFactor: 0, polygonOffsetUnits: 6 })

/** geometryOf has the triangles of each texture together, those without one first. */
export function geometryOf(view: MeshView, kept: Uint32Array | undefined): THREE.BufferGeometry {
  const { colours, covers, textures } = view.paint!
  const n = kept?.length ?? view.indices.length / 3
  const textureOf = (t: number) => covers?.textures[7 * t] ?? 0
  const starts = new Uint32Array(textures.length + 2)
  const triangle = (i: number) => (kept ? kept[i]! : i)
  for (let i = 0; i < n; i++) starts[textureOf(triangle(i)) + 1]!++
  for (let k = 1; k < starts.length; k++) starts[k]! += starts[k - 1]!
  const positions = new Float32Array(9 * n)
  const colour = new Float32Array(9 * n)
  const uv = covers ? new Float32Array(6 * n) : undefined
  const next = starts.slice()
  for (let i = 0; i < n; i++) {
    const t = triangle(i)
    const texture = textureOf(t)
    const to = next[texture]!++
    for (let c = 0; c < 3; c++) {
      const v = view.indices[3 * t + c]!
      positions.set(view.positions.subarray(3 * v, 3 * v + 3), 9 * to + 3 * c)
      colourOf(colours[3 * t + c]!, texture > 0, colour, 9 * to + 3 * c)
    }
    if (uv) uv.set(covers!.at.subarray(7 * t + 1, 7 * t + 7), 6 * to)
  }
  const geometry = new THREE.BufferGeometry()
  geometry.setAttribute('position', new THREE.BufferAttribute(positions, 3))
  geometry.setAttribute('color', new THREE.BufferAttribute(colour, 3))
  if (uv) geometry.setAttribute('uv', new THREE.BufferAttribute(uv, 2))
  for (let k = 0; k <= textures.length; k++) if (starts[k + 1]! > starts[k]!) geometry.addGroup(3 * starts[k]!, 3 * (starts[k + 1]! - starts[k]!), k)
  return geometry
}
