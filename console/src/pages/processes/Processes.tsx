import type { Process } from '../../shared/api'
import { Trouble } from '../../shared/Trouble'
import { bytes, count, digits } from '../../shared/words'
import { useProcesses } from '../part/revision'

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
  ['Slicing takes well', (p) => `${count(p.max_triangles)} triangles, ${bytes(p.max_bytes)}`],
  ['Repairs unasked', (p) => `move up to ${digits(p.consent.moved_mm)} mm, remove ${percent(p.consent.removed)}, fill ${percent(p.consent.filled)}, change the volume by ${percent(p.consent.volume)}`],
]

/** Processes shows the limits that parts are checked against. */
export function Processes() {
  const list = useProcesses()
  return (
    <div className="mx-auto max-w-[96rem] p-6">
      <h1 className="mb-1 text-xl font-semibold">Processes</h1>
      <p className="mb-4 text-sm opacity-70">What parts are checked against, and how much a repair may change before it asks.</p>
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
            </tbody>
          </table>
        </div>
      )}
    </div>
  )
}
