import { useState } from 'react'
import { useQuery } from '@tanstack/react-query'
import { post, type Part, type RepairStep, type Report } from '../../shared/api'
import { Trouble } from '../../shared/Trouble'
import { digits, needs } from '../../shared/words'
import { useOrder } from './order'
import { useProcess } from './revision'

/** Hollow takes material out of a part that is sound: how thick its walls stay, and what lets out what is left inside. */
export function Hollow({ part, shown, report, ordered }: { part: Part; shown: number; report: Report; ordered: () => void }) {
  const { step, error, off } = useOrder(part, shown, ordered)
  const process = useProcess(report.process)
  const [wall, setWall] = useState<string>()
  const [drains, setDrains] = useState('2')
  const [drain, setDrain] = useState<string>()
  const g = report.geometry
  const sound = process !== undefined && g.watertight && g.oriented
  const thick = wall ?? digits(Math.max(1.5, 3 * (process?.wall_mm ?? 0)))
  const wide = drain ?? (process?.needs_drains ? digits(process.drain_mm) : '0')
  const fits = sound && Number(thick) >= process.wall_mm && Number(wide) >= 0 && Number(drains) >= 1 && Number(drains) <= 20
  const order = `hollow=${Number(thick)},${Number(wide)},${Number(drains)}`
  const plan = useQuery({
    queryKey: ['plan', part.id, shown, report.file.sha256, order],
    queryFn: () => post<RepairStep[]>(`/parts/${part.id}/plan`, { from: shown, steps: [order] }),
    enabled: fits,
    placeholderData: (old) => old,
  })
  if (!sound) return null
  const takes = plan.data?.[0]?.needs
  return (
    <section aria-label="Hollow" className="mt-5 border-t border-base-300 pt-4 text-sm">
      <h2 className="mb-1 font-semibold">Hollow</h2>
      <p className="mb-2 opacity-70">The outside stays as it is; what lies deeper than the wall is left out.{report.material && ` As it is, it takes ${digits(report.material.grams)} g, priced ${report.material.price.toFixed(2)}.`}</p>
      <div className="grid grid-cols-[1fr_6rem] items-center gap-x-2 gap-y-1">
        <Length label="walls of" value={thick} set={setWall} />
        <Length label="drains of (0 for none)" value={wide} set={setDrain} />
        <label className="contents">
          <span className="opacity-70">drains to each hollow</span>
          <input className="input input-xs" aria-label="drains to each hollow" value={drains} disabled={Number(wide) === 0} onChange={(e) => setDrains(e.target.value)} />
        </label>
      </div>
      <button className="btn btn-sm mt-2 w-full" data-order="hollow" disabled={off || !fits} onClick={() => step(order)}>Hollow r{shown}</button>
      {takes && fits && <p className="mt-1 opacity-70" data-needs>{needs(takes.seconds, takes.bytes)}</p>}
      <Trouble error={error} />
    </section>
  )
}

const Length = ({ label, value, set }: { label: string; value: string; set: (text: string) => void }) => (
  <label className="contents">
    <span className="opacity-70">{label}</span>
    <span className="join">
      <input className="input join-item input-xs" aria-label={label} value={value} onChange={(e) => set(e.target.value)} />
      <span className="join-item border border-base-300 px-1.5">mm</span>
    </span>
  </label>
)
