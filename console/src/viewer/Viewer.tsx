import { useEffect, useRef } from 'react'
import type { Place } from '../shared/api'
import { Scene, type Look } from './scene'
import type { MeshView } from './viewdata'

declare global {
  interface Window {
    __viewer?: { frames: number } // how often a mesh was drawn, for tests
  }
}

/** Viewer shows one mesh and the places of one finding; it knows no page. */
export function Viewer({ mesh, places, chosen, look, fitted }: { mesh: MeshView | undefined; places: Place[]; chosen: number | undefined; look: Look; fitted: number }) {
  const canvas = useRef<HTMLCanvasElement>(null)
  const scene = useRef<Scene>(undefined)
  useEffect(() => {
    window.__viewer = { frames: 0 }
    scene.current = new Scene(canvas.current!, () => window.__viewer!.frames++)
    return () => {
      scene.current?.dispose()
      delete window.__viewer
    }
  }, [])
  useEffect(() => {
    if (mesh) scene.current?.setMesh(mesh)
  }, [mesh])
  useEffect(() => scene.current?.setLook(look), [look, mesh])
  useEffect(() => {
    scene.current?.setMarks(places, chosen)
    const place = chosen === undefined ? undefined : places[chosen]
    if (place && mesh) scene.current?.goTo(place)
  }, [places, chosen, mesh])
  useEffect(() => {
    if (fitted > 0) scene.current?.fit()
  }, [fitted])
  return (
    <div className="absolute inset-0 overflow-hidden">
      <canvas ref={canvas} className="block size-full outline-none" aria-label="The part in three dimensions; drag to turn, scroll to come closer" />
    </div>
  )
}
