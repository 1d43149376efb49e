import * as THREE from 'three'
import { paint } from './paint'

/** Section is a plane across an axis that cuts the part open: what lies beyond it is not shown. */
export interface Section {
  axis: 'x' | 'y' | 'z'
  at: number // mm from the part's middle
  flip: boolean // show the other side
}

/**
 * Cut cuts the part open along a plane, and fills the face of the cut.
 *
 * Idea: where the eye looks through the cut into the part, it passes one more back than
 * fronts. Backs are counted up and fronts down in the stencil, and the plane is painted
 * where something is left: exactly in the part's inside, when it is closed.
 */
export class Cut {
  readonly group = new THREE.Group()
  planes: THREE.Plane[] = []
  private plane = new THREE.Plane(new THREE.Vector3(0, 0, -1), 0)
  private lid: THREE.Mesh
  private counters: THREE.Mesh[]

  constructor(
    geometry: THREE.BufferGeometry,
    private cutting: THREE.Material[],
  ) {
    const counting = (side: THREE.Side, op: THREE.StencilOp) => {
      const m = new THREE.MeshBasicMaterial({ side, depthWrite: false, depthTest: false, colorWrite: false, clippingPlanes: [this.plane] })
      m.stencilWrite = true
      m.stencilFunc = THREE.AlwaysStencilFunc
      m.stencilFail = m.stencilZFail = m.stencilZPass = op
      const mesh = new THREE.Mesh(geometry, m)
      mesh.renderOrder = -2
      return mesh
    }
    this.counters = [counting(THREE.BackSide, THREE.IncrementWrapStencilOp), counting(THREE.FrontSide, THREE.DecrementWrapStencilOp)]
    const fill = new THREE.MeshBasicMaterial({ color: paint.cut, side: THREE.DoubleSide, stencilWrite: true, stencilRef: 0, stencilFunc: THREE.NotEqualStencilFunc, stencilFail: THREE.ReplaceStencilOp, stencilZFail: THREE.ReplaceStencilOp, stencilZPass: THREE.ReplaceStencilOp })
    this.lid = new THREE.Mesh(new THREE.PlaneGeometry(1, 1), fill)
    this.lid.renderOrder = -1
    this.lid.onAfterRender = (renderer) => renderer.clearStencil()
    this.group.add(...this.counters, this.lid)
    this.group.visible = false
  }

  set(section: Section | undefined, box: THREE.Box3 | undefined) {
    this.group.visible = section !== undefined && box !== undefined
    this.planes = []
    if (section && box) {
      const normal = new THREE.Vector3()
      normal[section.axis] = section.flip ? 1 : -1
      this.plane.normal.copy(normal)
      this.plane.constant = section.flip ? -section.at : section.at
      this.planes = [this.plane]
      const size = 2.2 * box.getSize(new THREE.Vector3()).length()
      this.lid.scale.set(size, size, 1)
      this.lid.position.copy(normal).multiplyScalar(-this.plane.constant)
      this.lid.lookAt(this.lid.position.clone().add(normal))
    }
    for (const m of this.cutting) {
      const was = m.clippingPlanes?.length ?? 0
      m.clippingPlanes = this.planes
      if (was !== this.planes.length) m.needsUpdate = true
    }
  }

  dispose() {
    for (const m of [...this.counters, this.lid]) (m.material as THREE.Material).dispose()
    this.lid.geometry.dispose()
  }
}
