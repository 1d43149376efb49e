import { useLayoutEffect, useRef, useState } from 'react'
import { useVirtualizer } from '@tanstack/react-virtual'
import { Link, useNavigate } from 'react-router'
import { pictureOf, type Part } from '../../shared/api'
import { Mark } from '../../shared/Mark'
import { bytes, count, foundAs, outcome, size } from '../../shared/words'
import { toggled } from './choose'

const columns = 'grid grid-cols-[2.25rem_6rem_minmax(10rem,1.4fr)_9rem_12rem_7rem_minmax(12rem,2fr)] items-center gap-2'

/** Table lists parts; only the rows that are seen are drawn. */
export function Table({ parts, picked, setPicked }: { parts: Part[]; picked: ReadonlySet<number>; setPicked: (next: ReadonlySet<number>) => void }) {
  const list = useRef<HTMLDivElement>(null)
  const [top, setTop] = useState(0)
  const scroller = useRef<HTMLElement>(null)
  useLayoutEffect(() => {
    scroller.current = list.current!.closest('main')
    setTop(list.current!.getBoundingClientRect().top - scroller.current!.getBoundingClientRect().top + scroller.current!.scrollTop)
  }, [parts.length])
  const rows = useVirtualizer({ count: parts.length, getScrollElement: () => scroller.current, estimateSize: () => 76, overscan: 6, scrollMargin: top, getItemKey: (i) => parts[i]!.id })
  return (
    <div className="mt-3 overflow-hidden rounded-box border border-base-300 bg-base-100 text-sm" role="table" aria-label="Parts">
      <div role="row" className={`${columns} border-b border-base-300 px-3 py-2 opacity-70`}>
        {['', '', 'File', 'Verdict', 'Size', 'Triangles', 'Found as received'].map((name, i) => (
          <span key={i} role="columnheader" className={i === 4 || i === 5 ? 'text-right' : i === 6 ? 'pl-4' : ''}>{name}</span>
        ))}
      </div>
      <div ref={list} className="relative" style={{ height: rows.getTotalSize() }}>
        {rows.getVirtualItems().map((row) => {
          const part = parts[row.index]!
          return (
            <div key={part.id} ref={rows.measureElement} data-index={row.index} className="absolute inset-x-0" style={{ transform: `translateY(${row.start - top}px)` }}>
              <Row part={part} picked={picked.has(part.id)} pick={() => setPicked(toggled(picked, part.id))} />
            </div>
          )
        })}
      </div>
    </div>
  )
}

function Row({ part, picked, pick }: { part: Part; picked: boolean; pick: () => void }) {
  const go = useNavigate()
  const what = outcome(part)
  const findings = part.findings.filter((f) => f.severity !== 'note')
  return (
    <div role="row" className={`${columns} min-h-[76px] cursor-pointer border-b border-base-300 px-3 py-1.5 ${picked ? 'bg-secondary/15' : 'hover:bg-base-200'}`} data-part={part.id} onClick={() => go(`/parts/${part.id}`)}>
      <span role="cell" onClick={(e) => e.stopPropagation()}>
        <input type="checkbox" className="checkbox checkbox-sm" aria-label={`choose ${part.name}`} checked={picked} onChange={pick} />
      </span>
      <span role="cell" className="grid h-16 place-items-center">
        {part.has_picture ? <img src={pictureOf(part)} alt="" className="max-h-16" loading="lazy" /> : <span className="text-2xl opacity-30" aria-hidden>{what === 'reject' ? '×' : '·'}</span>}
      </span>
      <span role="cell" className="min-w-0">
        <Link to={`/parts/${part.id}`} className="block break-words font-medium hover:underline" onClick={(e) => e.stopPropagation()}>{part.name}</Link>
        <span className="opacity-60">{part.format && `${part.format}, `}{bytes(part.bytes)}</span>
      </span>
      <span role="cell">
        {what === 'working' ? (
          <span className="block w-32">
            <progress className="progress progress-secondary" value={part.progress} max={1} aria-label="progress" />
            <span className="block truncate text-xs opacity-70">{part.stage || 'waiting'}</span>
          </span>
        ) : (
          <Mark outcome={what} />
        )}
      </span>
      <span role="cell" className="whitespace-nowrap text-right tabular-nums">{part.triangles > 0 && size(part.size_mm)}</span>
      <span role="cell" className="text-right tabular-nums">{part.triangles > 0 && count(part.triangles)}</span>
      <span role="cell" className="min-w-0 pl-4">
        {part.problem ? (
          <span className="text-error">{part.problem.replace(part.name, '').replace(/^[,:]\s*/, '')}</span>
        ) : (
          findings.slice(0, 4).map((f) => <span key={f.kind} className="block truncate">{f.severity === 'question' ? f.summary : foundAs(f.kind, f.count)}</span>)
        )}
        {!part.problem && findings.length > 4 && <span className="block opacity-60">and {findings.length - 4} more kinds</span>}
      </span>
    </div>
  )
}
