import { useEffect, useRef, useState } from 'react'
import { address, study, type Level, type Part, type Report, type Study } from '../../shared/api'
import { Trouble } from '../../shared/Trouble'
import { bytes, count, digits } from '../../shared/words'
import { useOrder } from './order'

/** Lighter takes triangles away: by levels to be looked at, or by a number that is typed. */
export function Lighter({ part, shown, report, ordered }: { part: Part; shown: number; report: Report; ordered: () => void }) {
  const { step, error, off } = useOrder(part, shown, ordered)
  const [levels, setLevels] = useState<Study>()
  const [problem, setProblem] = useState<unknown>()
  const [how, setHow] = useState('within')
  const [amount, setAmount] = useState('0.05')
  const gone = useRef(false)
  useEffect(() => {
    gone.current = false
    return () => void (gone.current = true)
  }, [])
  const make = () => {
    setProblem(undefined)
    study(part.id, { kind: 'levels', from: shown }, setLevels, () => gone.current).then(setLevels, setProblem)
  }
  const list = levels?.state === 'done' ? (levels.result as Level[]) : undefined
  const working = levels && !list && !problem
  if (report.unit.doubtful) return <p className="text-sm">The unit is in doubt; lengths mean nothing before it is settled.</p>
  return (
    <section aria-label="Lighter" className="text-sm">
      <p className="opacity-70">
        {count(report.geometry.triangles)} triangles, {bytes(report.file.bytes)}. Sharp edges, rims and colours stay; no point moves farther than is said.
      </p>
      {!list && (
        <button className="btn btn-sm mt-2 w-full" id="make-levels" disabled={!!working} onClick={make}>
          {working ? `${levels.stage || 'waiting'} … ${Math.round(100 * levels.progress)} %` : 'Make three levels to choose from'}
        </button>
      )}
      {working && <progress className="progress progress-secondary mt-2" value={levels.progress} max={1} aria-label="progress" />}
      <Trouble error={problem} retry={make} />
      {list && levels && (
        <ul className="mt-3 space-y-2" aria-label="Levels">
          {list.map((l) => (
            <li key={l.name} className="flex gap-3 rounded-box border border-base-300 p-2" data-level={l.name}>
              <img src={address(`/parts/${part.id}/studies/${levels.id}/files/level-${l.name}.png`)} alt={`the part, ${l.name}`} className="h-18 w-24 shrink-0 object-contain" />
              <div className="min-w-0 flex-1">
                <div className="flex items-baseline justify-between">
                  <span className="font-medium">{l.name}</span>
                  <button className="btn btn-xs" data-order={`level-${l.name}`} disabled={off} onClick={() => step(`lighter-within=${l.stops_mm.join(',')}`)}>Take this</button>
                </div>
                <div className="tabular-nums">{count(l.triangles)} triangles, {bytes(l.bytes)}</div>
                <div className="text-xs opacity-70">within {digits(l.within_mm)} mm: {l.why}</div>
              </div>
            </li>
          ))}
        </ul>
      )}
      <label className="join mt-4 w-full">
        <select className="select join-item select-sm" aria-label="how light" value={how} onChange={(e) => { setHow(e.target.value); setAmount({ within: '0.05', share: '0.5', to: '100000' }[e.target.value]!) }}>
          <option value="within">within mm</option>
          <option value="share">to a share</option>
          <option value="to">to triangles</option>
        </select>
        <input className="input join-item input-sm" aria-label="amount" value={amount} onChange={(e) => setAmount(e.target.value)} />
        <button className="btn join-item btn-sm" data-order="lighter" disabled={off || !(Number(amount) > 0)} onClick={() => step(`lighter-${how}=${amount}`)}>Make lighter</button>
      </label>
      <Trouble error={error} />
    </section>
  )
}
