import { useEffect, useMemo, useRef } from 'react'
import type { Vec3 } from '../../shared/api'
import { digits } from '../../shared/words'
import { areaOf, regions, slice } from '../../viewer/slice'
import type { MeshView } from '../../viewer/viewdata'

const side = 232
const margin = 12

/** LayerView is one layer as the printer will see it: what is enclosed filled, lines that do not close marked. */
export function LayerView({ mesh, at, layer, low, size }: { mesh: MeshView; at: number; layer: number; low: Vec3; size: Vec3 }) {
  const canvas = useRef<HTMLCanvasElement>(null)
  const cut = useMemo(() => slice(mesh, at - mesh.centre[2]), [mesh, at])
  useEffect(() => {
    const pen = canvas.current?.getContext('2d')
    if (!pen) return
    const scale = (side - 2 * margin) / Math.max(size[0], size[1], 1e-9)
    const style = getComputedStyle(canvas.current!)
    const { solid, backwards } = regions(cut)
    const trace = (line: Float32Array) => {
      for (let i = 0; i < line.length; i += 2) pen[i === 0 ? 'moveTo' : 'lineTo'](side / 2 + line[i]! * scale, side / 2 - line[i + 1]! * scale)
    }
    pen.reset()
    pen.beginPath()
    for (const loop of solid.flatMap((r) => [r.outer, ...r.holes])) {
      trace(loop)
      pen.closePath()
    }
    pen.fillStyle = style.getPropertyValue('--color-secondary')
    pen.fill('nonzero')
    pen.lineWidth = 3
    pen.strokeStyle = style.getPropertyValue('--color-error')
    for (const line of [...cut.open, ...backwards]) {
      pen.beginPath()
      trace(line)
      if (backwards.includes(line)) pen.closePath()
      pen.stroke()
    }
  }, [cut, size])
  return (
    <figure className="absolute bottom-28 right-24 rounded-box border border-base-300 bg-base-100/95 p-2 text-xs" aria-label="Layer">
      <canvas ref={canvas} width={side} height={side} id="layer" />
      <figcaption className="flex justify-between tabular-nums">
        <span>layer {Math.floor((at - low[2]) / layer) + 1}, {digits(at - low[2])} mm up</span>
        {cut.open.length > 0 ? <span className="font-medium text-error" data-open={cut.open.length}>does not close</span> : <span>{digits(areaOf(cut) / 100)} cm²</span>}
      </figcaption>
    </figure>
  )
}
