import { useState } from 'react'
import { post, type Finding, type Part, type Place, type Report } from '../../shared/api'
import { Trouble } from '../../shared/Trouble'
import { count, digits } from '../../shared/words'

/** around is a box around a place, two corners in mm with commas between. */
function around(place: Place) {
  const reach = Math.max(1, 0.75 * place.size_mm)
  return [...place.at_mm.map((x) => x - reach), ...place.at_mm.map((x) => x + reach)].map((x) => +x.toFixed(4)).join(',')
}

/** ByHand orders single steps on the revision that is shown; each makes a revision of its own. */
export function ByHand({ part, shown, report, finding, chosen, ordered }: { part: Part; shown: number; report: Report; finding: Finding | undefined; chosen: number | undefined; ordered: () => void }) {
  const [error, setError] = useState<unknown>()
  const [busy, setBusy] = useState(false)
  const [method, setMethod] = useState('')
  const [distance, setDistance] = useState('0.01')
  const [how, setHow] = useState('within')
  const [amount, setAmount] = useState('0.05')
  const off = busy || part.state === 'waiting' || part.state === 'working'
  async function order(...steps: string[]) {
    setBusy(true)
    setError(undefined)
    try {
      await post(`/parts/${part.id}/repair`, steps.length === 0 && method ? { from: shown, method } : { from: shown, steps })
      ordered()
    } catch (problem) {
      setError(problem)
    }
    setBusy(false)
  }
  const place = finding && chosen !== undefined ? finding.places[chosen] : undefined
  const rim = finding?.kind === 'open-boundary' ? place?.line_mm?.[0] : undefined
  const whole = place && place.triangles.length > 0 && place.triangles.length === place.triangles_total
  return (
    <section aria-label="By hand">
      <h2 className="mb-2 font-semibold">By hand, from r{shown}</h2>
      <div className="flex flex-wrap gap-1.5">
        {report.verdict === 'repair' && (
          <span className="join">
            <select className="select join-item select-sm w-36" aria-label="method" value={method} onChange={(e) => setMethod(e.target.value)}>
              <option value="">lightest that does</option>
              <option value="touch-up">touch-up</option>
              <option value="fuse">fuse</option>
              <option value="recast">recast</option>
            </select>
            <button className="btn btn-secondary join-item btn-sm" data-order="mend" disabled={off} onClick={() => order()}>Mend</button>
          </span>
        )}
        {rim && (
          <button className="btn btn-sm" data-order="fill-hole" disabled={off} onClick={() => order(`fill-hole=${rim.join(',')}`)}>Fill this hole</button>
        )}
        {whole && (
          <button className="btn btn-sm" data-order="remove-triangles" disabled={off} onClick={() => order(`remove-triangles=${place.triangles.join(',')}`)}>
            Remove {place.triangles.length === 1 ? 'this triangle' : `these ${count(place.triangles.length)} triangles`}
          </button>
        )}
        {place && (
          <button className="btn btn-sm" data-order="recast-region" disabled={off} onClick={() => order(`recast-region=${around(place)}`)} title="A new skin within a box around this place; the rest stays as it is">
            Redraw around here
          </button>
        )}
        <label className="join">
          <button className="btn join-item btn-sm" data-order="weld" disabled={off || !(Number(distance) > 0)} onClick={() => order(`weld=${distance}`)}>Weld open edges within</button>
          <input className="input join-item input-sm w-16" aria-label="distance in mm" value={distance} onChange={(e) => setDistance(e.target.value)} />
          <span className="join-item border border-base-300 px-2 text-sm leading-8">mm</span>
        </label>
      </div>
      <label className="join mt-1.5">
        <button className="btn join-item btn-sm" data-order="lighter" disabled={off || !(Number(amount) > 0)} onClick={() => order(`lighter-${how}=${amount}`)}>Make lighter</button>
        <select className="select join-item select-sm w-28" aria-label="how light" value={how} onChange={(e) => { setHow(e.target.value); setAmount({ within: '0.05', share: '0.5', to: '100000' }[e.target.value]!) }}>
          <option value="within">within mm</option>
          <option value="share">to a share</option>
          <option value="to">to triangles</option>
        </select>
        <input className="input join-item input-sm w-20" aria-label="amount" value={amount} onChange={(e) => setAmount(e.target.value)} />
      </label>
      {report.shells.length > 1 && (
        <table className="mt-3 w-full text-sm" aria-label="Shells">
          <tbody>
            {report.shells.slice(0, 50).map((s) => (
              <tr key={s.number} className="border-t border-base-300">
                <td className="py-1 pr-2 tabular-nums opacity-60">{s.number}</td>
                <td>
                  {s.role}
                  <span className="block text-xs opacity-60">
                    {s.size_mm.map(digits).join(' × ')} mm, {count(s.triangles)} triangles
                  </span>
                </td>
                <td className="whitespace-nowrap text-right">
                  <button className="btn btn-ghost btn-xs" data-order={`turn-shell=${s.number}`} disabled={off} onClick={() => order(`turn-shell=${s.number}`)}>Turn</button>
                  <button className="btn btn-ghost btn-xs" data-order={`recast-shell=${s.number}`} disabled={off} onClick={() => order(`recast-shell=${s.number}`)} title="A new skin around this shell only">Redraw</button>
                  <button className="btn btn-ghost btn-xs" data-order={`drop-shell=${s.number}`} disabled={off} onClick={() => order(`drop-shell=${s.number}`)}>Drop</button>
                </td>
              </tr>
            ))}
          </tbody>
        </table>
      )}
      {report.shells.length > 50 && <p className="mt-1 text-xs opacity-60">and {count(report.geometry.shells - 50)} more</p>}
      {error !== undefined && <Trouble error={error} />}
    </section>
  )
}
