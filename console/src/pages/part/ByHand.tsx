import type { Finding, Part, Place } from '../../shared/api'
import { Trouble } from '../../shared/Trouble'
import { count } from '../../shared/words'
import { useOrder } from './order'

/** around is a box around a place, two corners in mm with commas between. */
function around(place: Place) {
  const reach = Math.max(1, 0.75 * place.size_mm)
  return [...place.at_mm.map((x) => x - reach), ...place.at_mm.map((x) => x + reach)].map((x) => +x.toFixed(4)).join(',')
}

/** ByHand orders single steps at the place that is shown. */
export function ByHand({ part, shown, finding, chosen, ordered }: { part: Part; shown: number; finding: Finding; chosen: number | undefined; ordered: () => void }) {
  const { step, error, off } = useOrder(part, shown, ordered)
  const place = chosen === undefined ? undefined : finding.places[chosen]
  if (!place) return null
  const rim = finding.kind === 'open-boundary' ? place.line_mm?.[0] : undefined
  const whole = place.triangles.length > 0 && place.triangles.length === place.triangles_total
  return (
    <section aria-label="By hand" className="mt-4">
      <h2 className="mb-2 text-sm font-semibold">Here, by hand</h2>
      <div className="flex flex-wrap gap-1.5">
        {rim && <button className="btn btn-sm" data-order="fill-hole" disabled={off} onClick={() => step(`fill-hole=${rim.join(',')}`)}>Fill this hole</button>}
        {whole && (
          <button className="btn btn-sm" data-order="remove-triangles" disabled={off} onClick={() => step(`remove-triangles=${place.triangles.join(',')}`)}>
            Remove {place.triangles.length === 1 ? 'this triangle' : `these ${count(place.triangles.length)} triangles`}
          </button>
        )}
        {finding.kind === 'trapped-volume' && <button className="btn btn-sm" data-order="drain" disabled={off} onClick={() => step(`drain=${place.at_mm.join(',')}`)} title="A round way out, where the wall is whole around it">Drain it here</button>}
        <button className="btn btn-sm" data-order="recast-region" disabled={off} onClick={() => step(`recast-region=${around(place)}`)} title="A new skin within a box around this place; the rest stays as it is">
          Redraw around here
        </button>
      </div>
      <Trouble error={error} />
    </section>
  )
}
