import { useMemo, useRef } from 'react'
import type { Report, Severity } from '../../shared/api'
import { digits } from '../../shared/words'

export interface Band {
  from: number // shares of the height, from below
  to: number
  severity: Severity
  kind: string
}

/** bands says at which heights the findings lie. */
export function bands(report: Report, low: number, high: number, kind?: string): Band[] {
  const tall = high - low || 1
  const share = (z: number) => Math.max(0, Math.min(1, (z - low) / tall))
  return report.findings
    .filter((f) => kind === undefined || f.kind === kind)
    .flatMap((f) =>
      f.places.map((p) => {
        const heights = p.line_mm?.map((q) => q[2]) ?? [p.at_mm[2] - p.size_mm / 2, p.at_mm[2] + p.size_mm / 2]
        return { from: share(Math.min(...heights)), to: share(Math.max(...heights)), severity: f.severity, kind: f.kind }
      }),
    )
}

const fills: Record<Severity, string> = { error: 'bg-error', question: 'bg-info', warning: 'bg-warning', note: 'bg-base-content/40' }
const lanes: Severity[] = ['error', 'question', 'warning', 'note']

/** LayerStrip is the part's height as a band: where the findings lie, and where it is cut. */
export function LayerStrip({ report, kind, at, low, high, layer, set }: { report: Report; kind: string | undefined; at: number | undefined; low: number; high: number; layer: number; set: (z: number | undefined) => void }) {
  const strip = useRef<HTMLDivElement>(null)
  const marks = useMemo(() => bands(report, low, high, kind), [report, low, high, kind])
  const height = (y: number) => {
    const box = strip.current!.getBoundingClientRect()
    const z = high - ((y - box.top) / box.height) * (high - low)
    return Math.max(low, Math.min(high, low + (Math.round((z - low) / layer - 0.5) + 0.5) * layer)) // the middle of a layer
  }
  return (
    <div className="absolute bottom-4 right-3 top-4 flex w-16 flex-col items-center gap-1 text-xs tabular-nums" aria-label="Layers">
      <span>{digits(high)}</span>
      <div
        ref={strip}
        id="layer-strip"
        role="slider"
        tabIndex={0}
        aria-label="Height of the cut"
        aria-orientation="vertical"
        aria-valuemin={low}
        aria-valuemax={high}
        aria-valuenow={at ?? high}
        title="Drag to cut the part at a layer; the arrow keys go on by one"
        className="relative w-10 flex-1 cursor-ns-resize touch-none rounded-box border border-base-300 bg-base-100/90"
        onPointerDown={(e) => {
          e.currentTarget.setPointerCapture(e.pointerId)
          set(height(e.clientY))
        }}
        onPointerMove={(e) => e.buttons && set(height(e.clientY))}
      >
        {marks.map((b, i) => (
          <span
            key={i}
            className={`absolute w-2 rounded-sm ${fills[b.severity]}`}
            style={{ left: 3 + 9 * lanes.indexOf(b.severity), bottom: `${100 * b.from}%`, height: `max(3px, ${100 * (b.to - b.from)}%)` }}
            title={b.kind}
          />
        ))}
        {at !== undefined && <span className="absolute -left-1.5 -right-1.5 h-0.5 bg-accent" style={{ bottom: `${(100 * (at - low)) / (high - low || 1)}%` }} />}
      </div>
      <span>{digits(low)} mm</span>
      {at !== undefined && <button className="btn btn-xs" onClick={() => set(undefined)}>Whole</button>}
    </div>
  )
}
