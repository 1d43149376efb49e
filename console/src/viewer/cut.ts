import * as THREE from 'three'
import { paint } from './paint'
import { across, regions, slice, type Axis } from './slice'
import type { MeshView } from './viewdata'

/** Section is a plane across an axis that cuts the part open: what lies beyond it is not shown. */
export interface Section {
  axis: 'x' | 'y' | 'z'
  at: number // mm from the part's middle
  flip: boolean // show the other side
}

/** Cut cuts the part open along a plane, and fills what is solid there. */
export class Cut {
  planes: THREE.Plane[] = []
  readonly lid = new THREE.Mesh(new THREE.BufferGeometry(), new THREE.MeshBasicMaterial({ color: paint.cut, side: THREE.DoubleSide }))
  private plane = new THREE.Plane()

  constructor(private cutting: () => THREE.Material[]) {
    this.lid.visible = false
  }

  set(section: Section | undefined, mesh: MeshView | undefined) {
    this.planes = []
    this.lid.visible = section !== undefined && mesh !== undefined
    if (section && mesh) {
      const axis = 'xyz'.indexOf(section.axis) as Axis
      this.plane.normal.set(0, 0, 0).setComponent(axis, section.flip ? 1 : -1)
      this.plane.constant = section.flip ? -section.at : section.at
      this.planes = [this.plane]
      this.lid.geometry.dispose()
      this.lid.geometry = filled(mesh, section.at, axis)
    }
    for (const m of this.cutting()) {
      const was = m.clippingPlanes?.length ?? 0
      m.clippingPlanes = this.planes
      if (was !== this.planes.length) m.needsUpdate = true
    }
  }

  dispose() {
    this.lid.geometry.dispose()
    this.lid.material.dispose()
  }
}

/** filled is the solid of a cut as triangles. */
function filled(mesh: MeshView, at: number, axis: Axis): THREE.BufferGeometry {
  const [u, v] = across(axis)
  const points = (line: Float32Array) => Array.from({ length: line.length / 2 }, (_, i) => new THREE.Vector2(line[2 * i], line[2 * i + 1]))
  const flat: number[] = []
  const index: number[] = []
  for (const region of regions(slice(mesh, at, axis)).solid) {
    const outer = points(region.outer)
    const holes = region.holes.map(points)
    const first = flat.length / 3
    for (const t of THREE.ShapeUtils.triangulateShape(outer, holes)) index.push(...t.map((i) => first + i))
    for (const p of [outer, ...holes].flat()) {
      const place = [0, 0, 0]
      place[u] = p.x
      place[v] = p.y
      place[axis] = at
      flat.push(...place)
    }
  }
  const geometry = new THREE.BufferGeometry()
  geometry.setAttribute('position', new THREE.Float32BufferAttribute(flat, 3))
  geometry.setIndex(index)
  return geometry
}
