import { useState } from 'react'
import { useQuery } from '@tanstack/react-query'
import { post, type Part, type RepairStep, type Report } from '../../shared/api'
import { Trouble } from '../../shared/Trouble'
import { needs } from '../../shared/words'
import { useOrder } from './order'

const methods = [
  ['', 'the lightest that does', 'Touch up; what that leaves is fused, and drawn anew after that.'],
  ['touch-up', 'touch-up', 'Keeps every triangle of the customer that is not itself wrong.'],
  ['fuse', 'fuse', 'One skin of all that passes through each other; edges stay sharp.'],
  ['recast', 'recast', 'A new skin around whatever is enclosed. Always a solid; fine detail may go.'],
] as const

const settings = [['cell', 'cells of'], ['gap', 'close gaps up to'], ['smallest', 'leave out solids up to'], ['tolerance', 'move the skin up to']] as const

/** Mend is a repair of the whole: what would be done, how long it takes, and by which method. */
export function Mend({ part, shown, report, ordered }: { part: Part; shown: number; report: Report; ordered: () => void }) {
  const { send, step, error, off } = useOrder(part, shown, ordered)
  const [method, setMethod] = useState('')
  const [set, setSet] = useState<Record<string, string>>({})
  const [distance, setDistance] = useState('0.01')
  const recast = Object.entries(set).filter(([, mm]) => Number(mm) > 0).map(([name, mm]) => `${name}=${mm}`)
  const order = { ...(method && { method }), ...(method === 'recast' && recast.length > 0 && { recast }) }
  const plan = useQuery({
    queryKey: ['plan', part.id, shown, report.file.sha256, report.verdict, order],
    queryFn: () => post<RepairStep[]>(`/parts/${part.id}/plan`, { from: shown, ...order }),
    placeholderData: (old) => old,
  })
  const steps = plan.data ?? []
  const seconds = steps.reduce((sum, s) => sum + (s.needs?.seconds ?? 0), 0)
  const memory = Math.max(0, ...steps.map((s) => s.needs?.bytes ?? 0))
  return (
    <section aria-label="Mend" className="text-sm">
      {report.verdict === 'repair' ? (
        <>
          <label className="block">
            <span className="mb-1 block opacity-70">Method</span>
            <select className="select select-sm w-full" aria-label="method" value={method} onChange={(e) => setMethod(e.target.value)}>
              {methods.map(([name, label]) => <option key={name} value={name}>{label}</option>)}
            </select>
          </label>
          <p className="mt-1 opacity-70">{methods.find(([name]) => name === method)?.[2]}</p>
          {method === 'recast' && (
            <div className="mt-2 grid grid-cols-[1fr_6rem] items-center gap-x-2 gap-y-1">
              {settings.map(([name, label]) => (
                <label key={name} className="contents">
                  <span className="opacity-70">{label}</span>
                  <span className="join">
                    <input className="input join-item input-xs" aria-label={name} placeholder={steps.find((s) => s.step === 'recast')?.with?.[{ cell: 'cell_mm', gap: 'gap_mm', smallest: 'detail_mm', tolerance: 'tolerance_mm' }[name]]?.toPrecision(2)} value={set[name] ?? ''} onChange={(e) => setSet({ ...set, [name]: e.target.value })} />
                    <span className="join-item border border-base-300 px-1.5">mm</span>
                  </span>
                </label>
              ))}
            </div>
          )}
          <ol className="mt-3 list-decimal space-y-1 pl-5" aria-label="Plan">
            {steps.map((s) => (
              <li key={s.step}>
                <span className="font-medium">{s.title}</span> <span className="opacity-70">because of {s.why}</span>
              </li>
            ))}
          </ol>
          <Trouble error={plan.error} />
          {seconds > 0 && (
            <p className="mt-2 opacity-70" data-needs>
              {needs(seconds, memory)}
            </p>
          )}
          <button className="btn btn-secondary btn-sm mt-3 w-full" data-order="mend" disabled={off} onClick={() => send(order)}>Mend from r{shown}</button>
        </>
      ) : (
        <p>{report.verdict === 'pass' ? `r${shown} passes as it is: there is nothing to mend.` : 'A question is open; a repair waits for its answer.'}</p>
      )}
      <label className="join mt-4 w-full">
        <button className="btn join-item btn-sm" data-order="weld" disabled={off || !(Number(distance) > 0)} onClick={() => step(`weld=${distance}`)}>Weld open edges within</button>
        <input className="input join-item input-sm w-16" aria-label="distance in mm" value={distance} onChange={(e) => setDistance(e.target.value)} />
        <span className="join-item border border-base-300 px-2 leading-8">mm</span>
      </label>
      <Trouble error={error} />
    </section>
  )
}
