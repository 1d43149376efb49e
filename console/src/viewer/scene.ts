// The 3D scene: a mesh, its back faces told apart, and the places of findings.
// It draws on demand only; nothing moves by itself.
import * as THREE from 'three'
import { OrbitControls } from 'three/addons/controls/OrbitControls.js'
import { LineMaterial } from 'three/addons/lines/LineMaterial.js'
import { LineSegments2 } from 'three/addons/lines/LineSegments2.js'
import { LineSegmentsGeometry } from 'three/addons/lines/LineSegmentsGeometry.js'
import type { Place, Vec3 } from '../shared/api'
import { wallTimes, type MeshView } from './viewdata'

export interface Look {
  wireframe: boolean
  backs: boolean // back faces in their own colour
  seeThrough: boolean
  walls: 'off' | 'straight' | 'ball' // the map of walls, and which measure it shows
  thinnest: number // wall that prints, mm
}

const paint = { front: 0xb4c4c6, back: 0xc8592e, mark: 0xd6205f, chosen: 0xffb000, wire: 0x14323a }

// Marks and wireframe lie on the surface; backs lose against fronts where both
// meet at the outline. Not by slope: at the outline that has no bound.
const inFront = { polygonOffset: true, polygonOffsetFactor: -0.5, polygonOffsetUnits: -4 }
const behind = { polygonOffset: true, polygonOffsetFactor: 0, polygonOffsetUnits: 16 }

const thin = new THREE.Color(paint.mark)
const nearlyThin = new THREE.Color(0x14323a)
const thick = new THREE.Color(0xe4f1ee)

/** wallColour is the colour of a wall: its own below the thinnest, then from dark to light. */
export function wallColour(mm: number, thinnest: number): THREE.Color {
  if (mm < thinnest) return thin
  return nearlyThin.clone().lerp(thick, Math.min(1, (mm / thinnest - 1) / (wallTimes - 1)))
}

export class Scene {
  private renderer: THREE.WebGLRenderer
  private scene = new THREE.Scene()
  private camera = new THREE.PerspectiveCamera(32, 1, 0.1, 1000)
  private controls: OrbitControls
  private geometry = new THREE.BufferGeometry()
  private front = new THREE.MeshLambertMaterial({ color: paint.front, flatShading: true, side: THREE.FrontSide })
  private back = new THREE.MeshLambertMaterial({ color: paint.back, flatShading: true, side: THREE.BackSide, ...behind })
  private wire = new THREE.MeshBasicMaterial({ color: paint.wire, wireframe: true, transparent: true, opacity: 0.35, ...inFront })
  private wireMesh: THREE.Mesh
  private marks = new THREE.Group()
  private ring: THREE.Sprite
  private walls: THREE.InstancedMesh | undefined
  private view: MeshView | undefined
  private centre: Vec3 = [0, 0, 0]
  private radius = 1
  private pending = false
  private resizing: ResizeObserver

  constructor(
    private canvas: HTMLCanvasElement,
    private drawn: () => void,
  ) {
    this.renderer = new THREE.WebGLRenderer({ canvas, antialias: !new URLSearchParams(location.search).has('plain'), alpha: true })
    this.renderer.setPixelRatio(Math.min(devicePixelRatio, 2))
    this.camera.up.set(0, 0, 1)
    this.controls = new OrbitControls(this.camera, canvas)
    this.controls.addEventListener('change', () => this.draw())
    const key = new THREE.DirectionalLight(0xffffff, 2.1)
    key.position.set(-0.5, 0.7, 0.8)
    const fill = new THREE.DirectionalLight(0xffffff, 0.7)
    fill.position.set(0.8, -0.3, 0.5)
    this.camera.add(key, fill) // the light comes along: no side stays dark
    this.scene.add(this.camera, new THREE.AmbientLight(0xffffff, 0.75))
    this.wireMesh = new THREE.Mesh(this.geometry, this.wire)
    this.wireMesh.visible = false
    this.scene.add(new THREE.Mesh(this.geometry, this.front), new THREE.Mesh(this.geometry, this.back), this.wireMesh, this.marks)
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
    this.clearMarks()
    this.clearWalls()
    this.geometry.dispose()
    this.renderer.dispose()
  }

  /** setMesh shows a mesh; the camera stays unless the mesh is the first one. */
  setMesh(view: MeshView) {
    const first = this.geometry.getAttribute('position') === undefined
    this.centre = view.centre
    this.view = view
    this.clearWalls()
    this.geometry.setAttribute('position', new THREE.BufferAttribute(view.positions, 3))
    this.geometry.setIndex(new THREE.BufferAttribute(view.indices, 1))
    this.geometry.computeBoundingSphere()
    this.geometry.computeBoundingBox()
    this.radius = Math.max(this.geometry.boundingBox!.getSize(new THREE.Vector3()).length() / 2, 1e-6)
    if (first) this.fit()
    this.draw()
  }

  setLook(look: Look) {
    this.wireMesh.visible = look.wireframe
    this.back.color.set(look.backs ? paint.back : paint.front)
    for (const m of [this.front, this.back]) {
      m.transparent = look.seeThrough
      m.opacity = look.seeThrough ? 0.35 : 1
      m.depthWrite = !look.seeThrough
      m.needsUpdate = true
    }
    this.front.color.set(look.walls === 'off' ? paint.front : thick)
    this.clearWalls()
    if (look.walls !== 'off') this.addWalls(look)
    this.draw()
  }

  /** addWalls lays a small disc on the surface at each wall sample, in the colour of its wall. */
  private addWalls(look: Look) {
    const samples = this.view?.walls
    if (!this.view || !samples || samples.length === 0) return
    const n = samples.length / 8
    const discs = new THREE.InstancedMesh(new THREE.CircleGeometry(0.85 * Math.sqrt(surface(this.view) / n), 8), new THREE.MeshLambertMaterial({ side: THREE.DoubleSide, depthWrite: false, ...inFront }), n)
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

  /** setMarks shows places of a finding; the chosen one in its own colour, with a ring around it. */
  setMarks(places: Place[], chosen: number | undefined) {
    this.clearMarks()
    places.forEach((place, i) => this.addMark(place, i === chosen))
    const place = chosen === undefined ? undefined : places[chosen]
    this.ring.visible = place !== undefined && place.size_mm < this.radius * 0.06 // others show by themselves
    if (place) this.ring.position.copy(this.local(place.at_mm))
    this.draw()
  }

  private addMark(place: Place, chosen: boolean) {
    const colour = chosen ? paint.chosen : paint.mark
    const index = this.geometry.getIndex()
    if (place.triangles.length > 0 && index && !place.line_mm) {
      const some = new Uint32Array(3 * place.triangles.length)
      place.triangles.forEach((t, i) => some.set((index.array as Uint32Array).subarray(3 * t, 3 * t + 3), 3 * i))
      const geometry = new THREE.BufferGeometry()
      geometry.setAttribute('position', this.geometry.getAttribute('position'))
      geometry.setIndex(new THREE.BufferAttribute(some, 1))
      this.marks.add(new THREE.Mesh(geometry, new THREE.MeshBasicMaterial({ color: colour, side: THREE.DoubleSide, ...inFront })))
    }
    if (place.line_mm && place.line_mm.length > 1) {
      const points: number[] = []
      const line = place.line_mm.map((p) => this.local(p))
      for (let i = 1; i < line.length; i++) points.push(...line[i - 1]!.toArray(), ...line[i]!.toArray())
      const geometry = new LineSegmentsGeometry()
      geometry.setPositions(points)
      const segments = new LineSegments2(geometry, new LineMaterial({ color: colour, linewidth: chosen ? 4 : 3, depthTest: !chosen, transparent: true, ...inFront }))
      segments.renderOrder = 2
      this.marks.add(segments)
    }
  }

  private clearMarks() {
    for (const child of [...this.marks.children] as (THREE.Mesh | LineSegments2)[]) {
      this.marks.remove(child)
      if (child instanceof LineSegments2) child.geometry.dispose()
      else {
        child.geometry.deleteAttribute('position') // it belongs to the part
        child.geometry.dispose()
      }
      ;(child.material as THREE.Material).dispose()
    }
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

  /** goTo takes the camera to a place, from outside the part. */
  goTo(place: Place) {
    const at = this.local(place.at_mm)
    let from = at.clone()
    if (from.length() < this.radius * 0.05) from = this.camera.position.clone().sub(this.controls.target)
    from.normalize()
    from.z = Math.max(-0.75, Math.min(0.75, from.z + 0.15)) // never straight from above or below
    this.lookAt(at, from, Math.max(place.size_mm * 1.4, this.radius * 0.16))
  }

  private lookAt(target: THREE.Vector3, from: THREE.Vector3, radius: number) {
    const narrow = Math.min(1, this.camera.aspect)
    const distance = (radius * 1.08) / Math.sin((this.camera.fov * Math.PI) / 360) / narrow
    this.controls.target.copy(target)
    this.camera.position.copy(target).addScaledVector(from.normalize(), distance)
    this.camera.near = Math.max(distance / 1000, this.radius / 2000)
    this.camera.far = distance + 4 * this.radius + 4 * radius
    this.camera.updateProjectionMatrix()
    this.controls.update()
    this.draw()
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
