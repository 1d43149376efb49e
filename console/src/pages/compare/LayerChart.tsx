import type { LayerPair } from '../../shared/api'
import { digits } from '../../shared/words'

const width = 340
const height = 150

/** LayerChart draws what each layer holds before and after, from below to above; those that do not fill right are marked. */
export function LayerChart({ layers }: { layers: LayerPair[] | null }) {
  if (!layers || layers.length === 0) return null
  const most = Math.max(...layers.flatMap((l) => l.area_mm2), 1e-9)
  const x = (area: number) => 6 + ((width - 60) * Math.max(area, 0)) / most
  const y = (i: number) => height - 12 - ((height - 20) * (i + 0.5)) / layers.length
  const line = (side: 0 | 1) => layers.map((l, i) => `${i ? 'L' : 'M'}${x(l.area_mm2[side]).toFixed(1)} ${y(i).toFixed(1)}`).join('')
  return (
    <figure className="mt-4 text-xs" aria-label="Layers">
      <h2 className="mb-1 text-sm font-semibold">What the layers hold</h2>
      <svg viewBox={`0 0 ${width} ${height}`} className="w-full" role="img" aria-label="area of each layer before and after, from below to above">
        <path d={`M6 ${height - 10}H${width - 52}M6 4V${height - 10}`} className="stroke-base-content/30" fill="none" />
        <path d={line(0)} fill="none" className="stroke-accent" strokeWidth="2" strokeDasharray="5 3" />
        <path d={line(1)} fill="none" className="stroke-secondary" strokeWidth="2" />
        {layers.map((l, i) => l.wrong.map((wrong, side) => wrong && <circle key={`${i}.${side}`} cx={x(l.area_mm2[side as 0 | 1])} cy={y(i)} r="3" className={side ? 'fill-error' : 'fill-warning'} />))}
        <text x={width - 4} y={y(layers.length - 1) + 4} textAnchor="end" className="fill-base-content">{digits(layers.at(-1)!.z_mm)} mm</text>
        <text x={width - 4} y={y(0) + 4} textAnchor="end" className="fill-base-content">{digits(layers[0]!.z_mm)}</text>
      </svg>
      <figcaption className="opacity-70">Dashed before, solid after; to the right {digits(most / 100)} cm². Dots: layers that do not fill right.</figcaption>
    </figure>
  )
}
