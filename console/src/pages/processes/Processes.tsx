import { useState } from 'react'
import { useQuery, useQueryClient } from '@tanstack/react-query'
import { get, type Person, type Process, type ProcessRow } from '../../shared/api'
import { Trouble } from '../../shared/Trouble'
import { count, digits, leads, when } from '../../shared/words'
import { useProcesses } from '../part/revision'
import { Editor } from './Editor'

const percent = (share: number) => `${Math.round(100 * share)} %`

/** limits are what a process is told by, in words. */
export const limits: [string, (p: Process) => string][] = [
  ['Machine', (p) => `${p.machine_mm.map(digits).join(' × ')} mm`],
  ['Ordinary part', (p) => `${digits(p.typical_mm)} mm along its longest side`],
  ['Thinnest wall', (p) => `${digits(p.wall_mm)} mm`],
  ['Finest detail', (p) => `${digits(p.detail_mm)} mm`],
  ['Layer', (p) => `${digits(p.layer_mm)} mm`],
  ['Overhang', (p) => (p.overhang_deg >= 90 ? 'any, without support' : `up to ${digits(p.overhang_deg)}° from upright without support`)],
  ['Hollows', (p) => (p.needs_drains ? `need drains of ${digits(p.drain_mm)} mm` : 'may stay closed')],
  ['Material', (p) => `${digits(p.density_g_cm3)} g/cm³, ${p.price_per_cm3.toFixed(2)} a cm³`],
  ['Slicing takes well', (p) => `${count(p.max_triangles)} triangles, ${digits(p.max_bytes / (1 << 20))} MiB`],
  ['Repairs unasked', (p) => `move up to ${digits(p.consent.moved_mm)} mm, remove ${percent(p.consent.removed)}, fill ${percent(p.consent.filled)}, change the volume by ${percent(p.consent.volume)}`],
  ['Answered ahead', (p) => Object.entries(p.policy ?? {}).map(([question, answer]) => `${question.replaceAll('-', ' ')}: ${answer}`).join(', ') || 'nothing'],
]

const origins: Record<ProcessRow['origin'], (p: ProcessRow) => string> = {
  shipped: () => 'as it came',
  changed: (p) => `changed by ${p.changed_by}, ${when(p.changed_at!).slice(0, 10)}`,
  added: (p) => `added by ${p.changed_by}, ${when(p.changed_at!).slice(0, 10)}`,
}

/** Processes shows the limits that parts are checked against; leads change them. */
export function Processes() {
  const list = useProcesses()
  const queries = useQueryClient()
  const me = useQuery({ queryKey: ['session'], queryFn: () => get<Person>('/session') })
  const [open, setOpen] = useState<{ name: string; fresh: boolean }>()
  const row = list.data?.find((p) => p.name === open?.name)
  const done = () => {
    setOpen(undefined)
    queries.invalidateQueries({ queryKey: ['processes'] })
  }
  return (
    <div className="mx-auto max-w-[96rem] p-6">
      <h1 className="mb-1 text-xl font-semibold">Processes</h1>
      <p className="mb-4 text-sm opacity-70">What parts are checked against, and how much a repair may change before it asks. A change counts for checks from then on.</p>
      <Trouble error={list.error} retry={() => list.refetch()} />
      {list.data && (
        <div className="overflow-x-auto rounded-box border border-base-300 bg-base-100">
          <table className="w-full text-sm">
            <thead>
              <tr className="border-b border-base-300 text-left">
                <th className="w-36 px-4 py-2" />
                {list.data.map((p) => (
                  <th key={p.name} className="px-3 py-2 font-semibold">
                    {p.title} <code className="block text-xs font-normal opacity-60">{p.name}</code>
                  </th>
                ))}
              </tr>
            </thead>
            <tbody>
              {limits.map(([name, say]) => (
                <tr key={name} className="border-b border-base-300 align-top last:border-0">
                  <th className="px-4 py-2 text-left font-normal opacity-70">{name}</th>
                  {list.data.map((p) => <td key={p.name} className="px-3 py-2 tabular-nums">{say(p)}</td>)}
                </tr>
              ))}
              <tr className="align-top">
                <th />
                {list.data.map((p) => (
                  <td key={p.name} className="px-3 py-2">
                    <span className="block text-xs opacity-70">{origins[p.origin](p)}</span>
                    {leads(me.data) && (
                      <span className="mt-1 flex gap-1">
                        <button className="btn btn-xs" aria-label={`change ${p.name}`} onClick={() => setOpen({ name: p.name, fresh: false })}>Change</button>
                        <button className="btn btn-xs" aria-label={`add one like ${p.name}`} onClick={() => setOpen({ name: p.name, fresh: true })}>Add one like it</button>
                      </span>
                    )}
                  </td>
                ))}
              </tr>
            </tbody>
          </table>
        </div>
      )}
      {open && row && <Editor key={`${open.name} ${open.fresh}`} row={row} fresh={open.fresh} done={done} />}
    </div>
  )
}
