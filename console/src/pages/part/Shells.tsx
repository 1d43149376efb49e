import { useRef } from 'react'
import { useVirtualizer } from '@tanstack/react-virtual'
import type { Part, Report } from '../../shared/api'
import { Trouble } from '../../shared/Trouble'
import { count, digits, volume } from '../../shared/words'
import { useOrder } from './order'

/** Shells takes the part apart: what each is, shown or not, turned, drawn anew or dropped. */
export function Shells({ part, shown, report, hidden, setHidden, only, setOnly, ordered }: {
  part: Part
  shown: number
  report: Report
  hidden: ReadonlySet<number>
  setHidden: (next: ReadonlySet<number>) => void
  only: number | undefined
  setOnly: (shell: number | undefined) => void
  ordered: () => void
}) {
  const { step, error, off } = useOrder(part, shown, ordered)
  const scroller = useRef<HTMLDivElement>(null)
  const shells = report.shells
  const rows = useVirtualizer({ count: shells.length, getScrollElement: () => scroller.current, estimateSize: () => 76, overscan: 8 })
  const toggle = (n: number) => {
    const next = new Set(hidden)
    if (!next.delete(n)) next.add(n)
    setHidden(next)
  }
  return (
    <section aria-label="Shells">
      <div className="mb-2 flex items-center gap-2 text-sm">
        <button className="btn btn-xs" disabled={hidden.size === 0 && only === undefined} onClick={() => { setHidden(new Set()); setOnly(undefined) }}>Show all</button>
        <span className="opacity-70">
          {count(report.geometry.shells)} in all{report.geometry.shells > shells.length && `, the first ${shells.length} listed`}
        </span>
      </div>
      <div ref={scroller} className="max-h-[34rem] overflow-auto">
        <ul className="relative text-sm" style={{ height: rows.getTotalSize() }}>
          {rows.getVirtualItems().map((row) => {
            const s = shells[row.index]!
            const seen = only === undefined ? !hidden.has(s.number) : only === s.number
            return (
              <li key={s.number} data-shell={s.number} className={`absolute inset-x-0 h-[76px] border-t border-base-300 py-1.5 ${seen ? '' : 'opacity-50'}`} style={{ top: row.start }}>
                <div className="flex gap-2">
                  <span className="w-6 tabular-nums opacity-60">{s.number}</span>
                  <span className="font-medium">{s.role}</span>
                  <span className="ml-auto tabular-nums opacity-70">{count(s.triangles)} triangles</span>
                </div>
                <div className="pl-8 text-xs opacity-70">
                  {s.size_mm.map(digits).join(' × ')} mm{s.volume_mm3 !== null && `, ${volume(s.volume_mm3)}`}{s.overlaps && ', meets another'}
                </div>
                <div className="flex gap-0.5 pl-7">
                  <button className="btn btn-ghost btn-xs" onClick={() => toggle(s.number)}>{hidden.has(s.number) ? 'Show' : 'Hide'}</button>
                  <button className={`btn btn-xs ${only === s.number ? 'btn-secondary' : 'btn-ghost'}`} data-only={s.number} aria-pressed={only === s.number} onClick={() => setOnly(only === s.number ? undefined : s.number)}>Only this</button>
                  <button className="btn btn-ghost btn-xs" data-order={`turn-shell=${s.number}`} disabled={off} onClick={() => step(`turn-shell=${s.number}`)}>Turn</button>
                  <button className="btn btn-ghost btn-xs" data-order={`recast-shell=${s.number}`} disabled={off} onClick={() => step(`recast-shell=${s.number}`)} title="A new skin around this shell only">Redraw</button>
                  <button className="btn btn-ghost btn-xs" data-order={`drop-shell=${s.number}`} disabled={off} onClick={() => step(`drop-shell=${s.number}`)}>Drop</button>
                </div>
              </li>
            )
          })}
        </ul>
      </div>
      <Trouble error={error} />
    </section>
  )
}
