// The 3D scene: a mesh, its back faces told apart, the places of findings, a cut with
// its filled face, maps over the surface and measures. It draws on demand only;
// nothing moves by itself.
import * as THREE from 'three'
import { OrbitControls } from 'three/addons/controls/OrbitControls.js'
import { LineMaterial } from 'three/addons/lines/LineMaterial.js'
import { LineSegments2 } from 'three/addons/lines/LineSegments2.js'
import { LineSegmentsGeometry } from 'three/addons/lines/LineSegmentsGeometry.js'
import type { Place, Vec3 } from '../shared/api'
import { Cut, type Section } from './cut'
import { mapped, pale, paint, uniforms, wallColour, type Map } from './paint'
import { Painted } from './painted'
import { indicesOf, type MeshView } from './viewdata'

export interface Look {
  wireframe: boolean
  backs: boolean // back faces in their own colour
  seeThrough: boolean
  paint: boolean // in its own colours and textures, where it has some
  walls: 'off' | 'straight' | 'ball' // the map of walls, and which measure it shows
  thinnest: number // wall that prints, mm
  map: Map
  section: Section | undefined
  machine: Vec3 | undefined // the build volume, shown around the part
  onlyFinding: boolean // all but the finding's places is faint
}

/** Preset directions that the camera looks from. */
export const presets = { front: [0, -1, 0], back: [0, 1, 0], left: [-1, 0, 0], right: [1, 0, 0], top: [0, -0.001, 1], below: [0, -0.001, -1] } as const
export type Preset = keyof typeof presets

/** Hit is a point of the surface under the pointer. */
export interface Hit {
  at: Vec3 // mm, in the part's own coordinates
  wall: number | undefined // thickness straight through, mm
  edge: number // length of the nearest edge of the triangle, mm
}

// Marks and wireframe lie on the surface; backs lose against fronts where both
// meet at the outline. Not by slope: at the outline that has no bound.
const inFront = { polygonOffset: true, polygonOffsetFactor: -0.5, polygonOffsetUnits: -4 }
const behind = { polygonOffset: true, polygonOffsetFactor: 0, polygonOffsetUnits: 16 }

export class Scene {
  private renderer: THREE.WebGLRenderer
  private scene = new THREE.Scene()
  private camera = new THREE.PerspectiveCamera(32, 1, 0.1, 1000)
  private controls: OrbitControls
  private geometry = new THREE.BufferGeometry()
  private map = uniforms()
  private front = new THREE.MeshLambertMaterial({ color: paint.front, flatShading: true, side: THREE.FrontSide })
  private back = new THREE.MeshLambertMaterial({ color: paint.back, flatShading: true, side: THREE.BackSide, ...behind })
  private wire = new THREE.MeshBasicMaterial({ color: paint.wire, wireframe: true, transparent: true, opacity: 0.35, ...inFront })
  private painted = new Painted(() => this.draw())
  private frontMesh: THREE.Mesh
  private wireMesh: THREE.Mesh
  private picked: THREE.Mesh
  private marks = new THREE.Group()
  private measures = new THREE.Group()
  private surround = new THREE.Group()
  private ring: THREE.Sprite
  private walls: THREE.InstancedMesh | undefined
  private cut: Cut
  private view: MeshView | undefined
  private centre: Vec3 = [0, 0, 0]
  private radius = 1
  private pending = false
  private quiet = false // the camera is moved by another view
  private resizing: ResizeObserver

  constructor(
    private canvas: HTMLCanvasElement,
    private drawn: () => void,
    private moved: (camera: string, done: boolean) => void = () => {},
  ) {
    this.renderer = new THREE.WebGLRenderer({ canvas, antialias: !new URLSearchParams(location.search).has('plain'), alpha: true })
    this.renderer.setPixelRatio(Math.min(devicePixelRatio, 2))
    this.renderer.localClippingEnabled = true
    this.camera.up.set(0, 0, 1)
    this.controls = new OrbitControls(this.camera, canvas)
    this.controls.addEventListener('change', () => {
      this.draw()
      if (!this.quiet) this.moved(this.cameraText(), false)
    })
    this.controls.addEventListener('end', () => this.moved(this.cameraText(), true))
    const key = new THREE.DirectionalLight(0xffffff, 2.1)
    key.position.set(-0.5, 0.7, 0.8)
    const fill = new THREE.DirectionalLight(0xffffff, 0.7)
    fill.position.set(0.8, -0.3, 0.5)
    this.camera.add(key, fill) // the light comes along: no side stays dark
    this.scene.add(this.camera, new THREE.AmbientLight(0xffffff, 0.75))
    mapped(this.front, this.map)
    this.wireMesh = new THREE.Mesh(this.geometry, this.wire)
    this.wireMesh.visible = false
    this.picked = new THREE.Mesh(this.geometry, new THREE.MeshBasicMaterial({ side: THREE.DoubleSide }))
    this.cut = new Cut(() => [this.front, this.back, this.wire, ...this.painted.materials])
    this.frontMesh = new THREE.Mesh(this.geometry, this.front)
    this.scene.add(this.frontMesh, this.painted.mesh, new THREE.Mesh(this.geometry, this.back), this.wireMesh, this.cut.lid, this.marks, this.measures, this.surround)
    this.ring = new THREE.Sprite(new THREE.SpriteMaterial({ map: ringTexture(), depthTest: false, sizeAttenuation: false }))
    this.ring.scale.setScalar(0.06)
    this.ring.visible = false
    this.ring.renderOrder = 3
    this.scene.add(this.ring)
    this.resizing = new ResizeObserver(() => this.resize())
    this.resizing.observe(canvas.parentElement!)
    this.resize()
  }

  dispose() {
    this.resizing.disconnect()
    this.controls.dispose()
    for (const group of [this.marks, this.measures, this.surround]) this.clear(group)
    this.clearWalls()
    this.cut.dispose()
    this.painted.dispose()
    this.geometry.dispose()
    this.renderer.dispose()
  }

  /** setMesh shows a mesh, the triangles that are listed or all; the camera stays unless the mesh is the first one. */
  setMesh(view: MeshView, kept?: Uint32Array, deviation?: Float32Array) {
    const first = this.view === undefined
    const same = this.view === view
    this.centre = view.centre
    this.view = view
    if (!same) {
      this.clearWalls()
      this.geometry.setAttribute('position', new THREE.BufferAttribute(view.positions, 3))
      this.geometry.computeBoundingSphere()
      this.geometry.computeBoundingBox()
      this.radius = Math.max(this.geometry.boundingBox!.getSize(new THREE.Vector3()).length() / 2, 1e-6)
    }
    this.geometry.setAttribute('deviation', new THREE.BufferAttribute(deviation ?? new Float32Array(view.positions.length / 3), 1))
    this.geometry.setIndex(new THREE.BufferAttribute(indicesOf(view, kept), 1))
    this.painted.set(view, kept)
    if (first) this.fit()
    this.draw()
  }

  setLook(look: Look) {
    this.wireMesh.visible = look.wireframe
    this.back.color.set(look.backs ? paint.back : paint.front)
    const faint = look.onlyFinding ? 0.08 : look.seeThrough ? 0.35 : 1
    this.painted.mesh.visible = look.paint && look.walls === 'off' && look.map.kind === 'none' && this.view?.paint !== undefined
    this.frontMesh.visible = !this.painted.mesh.visible
    for (const m of [this.front, this.back, ...this.painted.materials]) {
      m.transparent = faint < 1
      m.opacity = faint
      m.depthWrite = faint === 1
      m.needsUpdate = true
    }
    this.map.map.value = { none: 0, overhang: 1, deviation: 2 }[look.map.kind]
    this.map.steep.value = Math.sin((look.map.steepest * Math.PI) / 180) + 1e-4
    this.map.most.value = look.map.kind === 'overhang' ? this.radius / 30 : Math.max(look.map.most, 1e-9)
    this.map.floor.value = (this.geometry.boundingBox?.min.z ?? 0) + this.radius * 1e-3
    this.front.color.set(look.walls === 'off' ? paint.front : pale)
    this.clearWalls()
    if (look.walls !== 'off') this.addWalls(look)
    this.cut.set(look.section, this.view)
    this.setSurround(look.machine)
    this.draw()
  }

  /** addWalls lays a small disc on the surface at each wall sample, in the colour of its wall. */
  private addWalls(look: Look) {
    const samples = this.view?.walls
    if (!this.view || !samples || samples.length === 0) return
    const n = samples.length / 8
    const material = new THREE.MeshLambertMaterial({ side: THREE.DoubleSide, depthWrite: false, ...inFront, clippingPlanes: this.cut.planes })
    const discs = new THREE.InstancedMesh(new THREE.CircleGeometry(0.85 * Math.sqrt(surface(this.view) / n), 8), material, n)
    const turn = new THREE.Quaternion()
    const up = new THREE.Vector3(0, 0, 1)
    const one = new THREE.Vector3(1, 1, 1)
    const place = new THREE.Matrix4()
    for (let i = 0; i < n; i++) {
      const s = samples.subarray(8 * i, 8 * i + 8)
      turn.setFromUnitVectors(up, new THREE.Vector3(s[3], s[4], s[5]))
      discs.setMatrixAt(i, place.compose(new THREE.Vector3(s[0], s[1], s[2]), turn, one))
      discs.setColorAt(i, wallColour(look.walls === 'ball' ? s[7]! : s[6]!, look.thinnest))
    }
    discs.renderOrder = 1
    this.walls = discs
    this.scene.add(discs)
  }

  private clearWalls() {
    if (!this.walls) return
    this.scene.remove(this.walls)
    this.walls.geometry.dispose()
    ;(this.walls.material as THREE.Material).dispose()
    this.walls.dispose()
    this.walls = undefined
  }

  /** setSurround shows the build volume as a box, and the bed below it with a line every 10 mm. */
  private setSurround(machine: Vec3 | undefined) {
    this.clear(this.surround)
    if (!machine || !this.geometry.boundingBox) return
    const floor = this.geometry.boundingBox.min.z
    const edges = new THREE.EdgesGeometry(new THREE.BoxGeometry(...machine))
    const box = new THREE.LineSegments(edges, new THREE.LineBasicMaterial({ color: paint.bed }))
    box.position.set(0, 0, floor + machine[2] / 2)
    const lines: number[] = []
    const [w, d] = [machine[0] / 2, machine[1] / 2]
    for (let x = 0; x <= w; x += 10) for (const s of x ? [x, -x] : [0]) lines.push(s, -d, floor, s, d, floor)
    for (let y = 0; y <= d; y += 10) for (const s of y ? [y, -y] : [0]) lines.push(-w, s, floor, w, s, floor)
    const bed = new THREE.BufferGeometry()
    bed.setAttribute('position', new THREE.Float32BufferAttribute(lines, 3))
    this.surround.add(box, new THREE.LineSegments(bed, new THREE.LineBasicMaterial({ color: paint.bed, transparent: true, opacity: 0.35 })))
    this.camera.far = Math.max(this.camera.far, this.camera.position.distanceTo(this.controls.target) + 3 * Math.hypot(...machine))
    this.camera.updateProjectionMatrix()
  }

  /** setMarks shows places of a finding; the chosen one in its own colour, with a ring around it. */
  setMarks(places: Place[], chosen: number | undefined, onlyChosen = false) {
    this.clear(this.marks)
    places.forEach((place, i) => {
      if (!onlyChosen || i === chosen) this.addMark(place, i === chosen)
    })
    const place = chosen === undefined ? undefined : places[chosen]
    this.ring.visible = place !== undefined && place.size_mm < this.radius * 0.06 // others show by themselves
    if (place) this.ring.position.copy(this.local(place.at_mm))
    this.draw()
  }

  private addMark(place: Place, chosen: boolean) {
    const colour = chosen ? paint.chosen : paint.mark
    const all = this.view?.indices
    if (place.triangles.length > 0 && all && !place.line_mm) {
      const some = new Uint32Array(3 * place.triangles.length)
      place.triangles.forEach((t, i) => some.set(all.subarray(3 * t, 3 * t + 3), 3 * i))
      const geometry = new THREE.BufferGeometry()
      geometry.setAttribute('position', this.geometry.getAttribute('position'))
      geometry.setIndex(new THREE.BufferAttribute(some, 1))
      this.marks.add(new THREE.Mesh(geometry, new THREE.MeshBasicMaterial({ color: colour, side: THREE.DoubleSide, ...inFront, clippingPlanes: this.cut.planes })))
    }
    if (place.line_mm && place.line_mm.length > 1) this.marks.add(this.line(place.line_mm, colour, chosen ? 4 : 3, !chosen))
  }

  private line(points: Vec3[], colour: number, width: number, depthTest: boolean): LineSegments2 {
    const flat: number[] = []
    const line = points.map((p) => this.local(p))
    for (let i = 1; i < line.length; i++) flat.push(...line[i - 1]!.toArray(), ...line[i]!.toArray())
    const geometry = new LineSegmentsGeometry()
    geometry.setPositions(flat)
    const segments = new LineSegments2(geometry, new LineMaterial({ color: colour, linewidth: width, depthTest, transparent: true, ...inFront }))
    segments.renderOrder = 2
    return segments
  }

  /** setMeasures draws the points that were measured, and the line between two. */
  setMeasures(points: Vec3[]) {
    this.clear(this.measures)
    if (points.length > 1) this.measures.add(this.line(points, paint.measure, 3, false))
    for (const p of points) {
      const dot = new THREE.Sprite(new THREE.SpriteMaterial({ map: ringTexture(), depthTest: false, sizeAttenuation: false }))
      dot.scale.setScalar(0.025)
      dot.position.copy(this.local(p))
      dot.renderOrder = 4
      this.measures.add(dot)
    }
    this.draw()
  }

  private clear(group: THREE.Group) {
    for (const child of [...group.children] as (THREE.Mesh | LineSegments2 | THREE.Sprite)[]) {
      group.remove(child)
      const material = child.material as THREE.Material & { map?: THREE.Texture | null }
      if (child instanceof THREE.Mesh && !(child instanceof LineSegments2)) {
        if (child.geometry.getAttribute('position') === this.geometry.getAttribute('position')) child.geometry.deleteAttribute('position') // it belongs to the part
        child.geometry.dispose()
      } else if (!(child instanceof THREE.Sprite)) child.geometry.dispose()
      material.map?.dispose()
      material.dispose()
    }
  }

  /** hit is what lies under a point of the canvas, in pixels from its corner. */
  hit(x: number, y: number): Hit | undefined {
    if (!this.view) return undefined
    const box = this.canvas.getBoundingClientRect()
    const ray = new THREE.Raycaster()
    ray.setFromCamera(new THREE.Vector2((2 * x) / box.width - 1, 1 - (2 * y) / box.height), this.camera)
    const plane = this.cut.planes[0]
    const seen = ray.intersectObject(this.picked).find((h) => !plane || plane.distanceToPoint(h.point) >= 0)
    if (!seen?.face) return undefined
    const at = seen.point
    const corners = [seen.face.a, seen.face.b, seen.face.c].map((v) => new THREE.Vector3().fromArray(this.view!.positions, 3 * v))
    let edge = 0
    let nearest = Infinity
    for (let k = 0; k < 3; k++) {
      const side = new THREE.Line3(corners[k]!, corners[(k + 1) % 3]!)
      const off = side.closestPointToPoint(at, true, new THREE.Vector3()).distanceTo(at)
      if (off < nearest) {
        nearest = off
        edge = side.distance()
      }
    }
    const inward = seen.face.normal.clone()
    if (inward.dot(ray.ray.direction) < 0) inward.negate()
    const through = new THREE.Raycaster(at.clone().addScaledVector(inward, this.radius * 1e-5), inward)
    const other = through.intersectObject(this.picked)[0]
    const c = this.centre
    return { at: [at.x + c[0], at.y + c[1], at.z + c[2]], wall: other && other.distance + this.radius * 1e-5, edge }
  }

  private local(p: Vec3): THREE.Vector3 {
    return new THREE.Vector3(p[0] - this.centre[0], p[1] - this.centre[1], p[2] - this.centre[2])
  }

  /** fit shows the whole part, from its front right, a little from above. */
  fit() {
    const size = this.geometry.boundingBox?.getSize(new THREE.Vector3()) ?? new THREE.Vector3(1, 1, 1)
    const flat = size.z / Math.max(size.x, size.y, 1e-9)
    this.lookAt(new THREE.Vector3(), new THREE.Vector3(0.5, -0.8, 0.45 + 0.7 * Math.max(0, 1 - 3 * flat)), this.radius)
  }

  /** from shows the whole part from a preset direction. */
  from(preset: Preset) {
    this.lookAt(new THREE.Vector3(), new THREE.Vector3(...presets[preset]), this.radius)
    this.moved(this.cameraText(), true)
  }

  /** goTo takes the camera to a place, from outside the part. */
  goTo(place: Place) {
    const at = this.local(place.at_mm)
    let from = at.clone()
    if (from.length() < this.radius * 0.05) from = this.camera.position.clone().sub(this.controls.target)
    from.normalize()
    from.z = Math.max(-0.75, Math.min(0.75, from.z + 0.15)) // never straight from above or below
    this.lookAt(at, from, Math.max(place.size_mm * 1.4, this.radius * 0.16))
  }

  /** cameraText is where the camera is, in mm about the part's middle, for an address. */
  cameraText(): string {
    return [...this.camera.position.toArray(), ...this.controls.target.toArray()].map((x) => +x.toPrecision(4)).join(',')
  }

  /** setCamera goes where cameraText said; nothing happens when it is none. */
  setCamera(text: string) {
    const n = text.split(',').map(Number)
    if (n.length !== 6 || !n.every(Number.isFinite)) return
    this.quiet = true
    this.controls.target.set(n[3]!, n[4]!, n[5]!)
    this.camera.position.set(n[0]!, n[1]!, n[2]!)
    this.reach(this.camera.position.distanceTo(this.controls.target))
    this.controls.update()
    this.quiet = false
    this.draw()
  }

  private lookAt(target: THREE.Vector3, from: THREE.Vector3, radius: number) {
    const narrow = Math.min(1, this.camera.aspect)
    const distance = (radius * 1.08) / Math.sin((this.camera.fov * Math.PI) / 360) / narrow
    this.controls.target.copy(target)
    this.camera.position.copy(target).addScaledVector(from.normalize(), distance)
    this.reach(distance)
    this.controls.update()
    this.draw()
  }

  /** reach has the camera see from near to beyond the part. */
  private reach(distance: number) {
    this.camera.near = Math.max(distance / 1000, this.radius / 2000)
    this.camera.far = distance + 8 * this.radius
    this.camera.updateProjectionMatrix()
  }

  private resize() {
    const box = this.canvas.parentElement!.getBoundingClientRect()
    this.renderer.setSize(box.width, box.height, false)
    this.camera.aspect = box.width / Math.max(box.height, 1)
    this.camera.updateProjectionMatrix()
    this.draw()
  }

  private draw() {
    if (this.pending) return
    this.pending = true
    requestAnimationFrame(() => {
      this.pending = false
      this.renderer.render(this.scene, this.camera)
      if (this.geometry.getIndex()) this.drawn()
    })
  }
}

/** surface is a mesh's area, mm². */
function surface(view: MeshView): number {
  const corner = (i: number) => new THREE.Vector3().fromArray(view.positions, 3 * view.indices[i]!)
  let area = 0
  const triangle = new THREE.Triangle()
  for (let i = 0; i < view.indices.length; i += 3) area += triangle.set(corner(i), corner(i + 1), corner(i + 2)).getArea()
  return area
}

function ringTexture(): THREE.Texture {
  const canvas = document.createElement('canvas')
  canvas.width = canvas.height = 128
  const pen = canvas.getContext('2d')!
  for (const [width, colour] of [[14, '#ffffff'], [8, '#7a0f36']] as const) {
    pen.lineWidth = width
    pen.strokeStyle = colour
    pen.beginPath()
    pen.arc(64, 64, 52, 0, 2 * Math.PI)
    pen.stroke()
  }
  return new THREE.CanvasTexture(canvas)
}
