import { useEffect, useMemo, useRef, type RefObject } from 'react'
import type { Place, Vec3 } from '../shared/api'
import { Scene, type Hit, type Look } from './scene'
import { trianglesLeft, type MeshView } from './viewdata'

declare global {
  interface Window {
    __viewer?: { frames: number } // how often a mesh was drawn, for tests
  }
}

export interface ViewerProps {
  mesh: MeshView | undefined
  places?: Place[]
  chosen?: number | undefined
  look: Look
  hidden?: ReadonlySet<number> // shells that are not shown
  only?: number | undefined // the one shell that is
  deviation?: Float32Array | undefined // of each vertex, mm
  measured?: Vec3[]
  camera?: string | null // where it begins
  moved?: (camera: string, done: boolean) => void
  picked?: ((hit: Hit) => void) | undefined
  scene?: RefObject<Scene | undefined> // is told the scene, once there is one
}

const none: never[] = []
const noShells: ReadonlySet<number> = new Set()

/** Viewer shows one mesh and the places of one finding; it knows no page. */
export function Viewer({ mesh, places = none, chosen, look, hidden = noShells, only, deviation, measured = none, camera, moved, picked, scene: handle }: ViewerProps) {
  const canvas = useRef<HTMLCanvasElement>(null)
  const scene = useRef<Scene>(undefined)
  const tell = useRef({ moved, picked })
  tell.current = { moved, picked }
  const began = useRef(false)
  useEffect(() => {
    const tally = (window.__viewer ??= { frames: 0 })
    tally.frames = 0
    scene.current = new Scene(canvas.current!, () => tally.frames++, (text, done) => tell.current.moved?.(text, done))
    if (handle) handle.current = scene.current
    return () => {
      scene.current?.dispose()
      delete window.__viewer
    }
  }, [])
  const kept = useMemo(() => mesh && trianglesLeft(mesh, hidden, only), [mesh, hidden, only])
  useEffect(() => {
    if (!mesh) return
    scene.current?.setMesh(mesh, kept, deviation)
    if (!began.current && camera) scene.current?.setCamera(camera)
  }, [mesh, kept, deviation])
  useEffect(() => scene.current?.setLook(look), [look, mesh])
  useEffect(() => {
    scene.current?.setMarks(places, chosen, look.onlyFinding)
    const place = chosen === undefined ? undefined : places[chosen]
    if (!place || !mesh) return
    if (began.current || !camera) scene.current?.goTo(place)
  }, [places, chosen, mesh, look.onlyFinding])
  useEffect(() => {
    if (mesh) began.current = true
  }, [mesh])
  useEffect(() => scene.current?.setMeasures(measured), [measured, mesh])
  const down = useRef<[number, number]>(undefined)
  return (
    <div className="absolute inset-0 overflow-hidden">
      <canvas
        ref={canvas}
        className={`block size-full outline-none ${picked ? 'cursor-crosshair' : ''}`}
        tabIndex={0}
        aria-label="The part in three dimensions; drag to turn, scroll to come closer"
        onPointerDown={(e) => (down.current = [e.clientX, e.clientY])}
        onPointerUp={(e) => {
          const [x, y] = down.current ?? [0, 0]
          if (!picked || Math.hypot(e.clientX - x, e.clientY - y) > 4) return // it was a turn
          const box = e.currentTarget.getBoundingClientRect()
          const hit = scene.current?.hit(e.clientX - box.left, e.clientY - box.top)
          if (hit) picked(hit)
        }}
      />
    </div>
  )
}
