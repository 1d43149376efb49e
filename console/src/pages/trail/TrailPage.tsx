import { useState } from 'react'
import { useInfiniteQuery } from '@tanstack/react-query'
import { Link } from 'react-router'
import { get, type Trail, type TrailLine } from '../../shared/api'
import { Trouble } from '../../shared/Trouble'
import { count } from '../../shared/words'
import { useAddress } from '../part/address'

const piece = 100 // lines that come at a time

/** said is what a line tells besides, in words; of two states of a thing, what it was and what it is. */
export function said(detail: unknown): string {
  if (Array.isArray(detail)) return detail.map(said).join(', ')
  if (detail === null || typeof detail !== 'object') return String(detail ?? '')
  const { from, to, ...rest } = detail as { [key: string]: unknown }
  const words = Object.entries(rest).filter(([, v]) => v !== '' && v !== null).map(([k, v]) => `${k.replaceAll('_', ' ')} ${typeof v === 'object' ? said(v) : String(v)}`)
  if (typeof from === 'object' && typeof to === 'object') {
    const was = (from ?? {}) as { [key: string]: unknown }
    const is = (to ?? {}) as { [key: string]: unknown }
    for (const key of new Set([...Object.keys(was), ...Object.keys(is)])) words.push(`${key.replaceAll('_', ' ')} ${said(is[key]) || 'none'}, was ${said(was[key]) || 'none'}`)
  } else {
    for (const [k, v] of [['from', from], ['to', to]]) if (v !== undefined) words.push(`${k} ${said(v)}`)
  }
  return words.join('; ')
}

/** TrailPage is who did what, the newest first; what it shows stands in the address. */
export function TrailPage() {
  const { search, go } = useAddress()
  const asked = new URLSearchParams(['person', 'action', 'batch', 'part'].flatMap((w) => (search.get(w) ? [[w, search.get(w)!]] : [])))
  const [holds, setHolds] = useState('')
  const [error, setError] = useState<unknown>()
  const trail = useInfiniteQuery({
    queryKey: ['trail', asked.toString()],
    queryFn: ({ pageParam }) => get<Trail>(`/audit?${asked}${pageParam ? `&before=${pageParam}` : ''}`),
    initialPageParam: 0,
    getNextPageParam: (last) => (last.lines.length === piece ? last.lines.at(-1)!.id : undefined),
    placeholderData: (old) => old,
  })
  const lines = trail.data?.pages.flatMap((p) => p.lines) ?? []
  const verify = () => {
    setError(undefined)
    get<{ lines: number; broken: number }>('/audit/verify').then((a) => setHolds(a.broken ? `Line ${a.broken} does not follow from the lines before it; ${count(a.lines)} hold.` : `All ${count(a.lines)} lines hold.`), setError)
  }
  return (
    <div className="mx-auto max-w-6xl p-6">
      <h1 className="mb-1 text-xl font-semibold">Who did what</h1>
      <p className="mb-3 text-sm opacity-70">Every change, by whom and when. Each line carries a hash over itself and the line before it, so that none can be changed or taken out unseen.</p>
      <div className="mb-3 flex flex-wrap items-end gap-2" role="search">
        <label className="text-xs">
          <span className="block opacity-70">by whom</span>
          <input className="input input-sm w-36" aria-label="by whom" value={search.get('person') ?? ''} onChange={(e) => go({ person: e.target.value || undefined })} />
        </label>
        <label className="text-xs">
          <span className="block opacity-70">what</span>
          <select className="select select-sm w-48" aria-label="what" value={search.get('action') ?? ''} onChange={(e) => go({ action: e.target.value || undefined })}>
            <option value="">anything</option>
            {trail.data?.pages[0]?.actions.map((a) => <option key={a}>{a}</option>)}
          </select>
        </label>
        {(search.get('part') || search.get('batch')) && (
          <button className="btn btn-sm" onClick={() => go({ part: undefined, batch: undefined })}>about {search.get('part') ? `part ${search.get('part')}` : `batch ${search.get('batch')}`} ×</button>
        )}
        <button className="btn btn-sm ml-auto" id="verify-trail" onClick={verify}>Does it hold?</button>
        {holds && <span className="text-sm leading-8" role="status">{holds}</span>}
      </div>
      <Trouble error={error ?? trail.error} retry={() => trail.refetch()} />
      {trail.data && lines.length === 0 && <p className="opacity-70">Nothing.</p>}
      {lines.length > 0 && (
        <table className="w-full rounded-box border border-base-300 bg-base-100 text-sm">
          <tbody>{lines.map((l) => <Line key={l.id} line={l} person={(person) => go({ person })} />)}</tbody>
        </table>
      )}
      {trail.hasNextPage && <button className="btn btn-sm mt-3" onClick={() => trail.fetchNextPage()}>Show earlier ones</button>}
    </div>
  )
}

function Line({ line: l, person }: { line: TrailLine; person: (name: string) => void }) {
  return (
    <tr className="border-b border-base-300 align-top last:border-0" data-line={l.id}>
      <td className="w-14 px-3 py-1.5 text-right tabular-nums opacity-60">{l.id}</td>
      <td className="w-44 whitespace-nowrap px-2 py-1.5 tabular-nums opacity-70">{l.at.slice(0, 19).replace('T', ' ')}</td>
      <td className="w-28 px-2 py-1.5"><button className="link link-hover" onClick={() => person(l.person)}>{l.person}</button></td>
      <td className="w-40 px-2 py-1.5 font-medium">{l.action}</td>
      <td className="px-2 py-1.5">
        {l.part_id && <Link className="link link-hover" to={`/parts/${l.part_id}`}>{l.part_name}</Link>}
        {l.part_id && l.batch_id && ' in '}
        {l.batch_id && <Link className="link link-hover" to={`/batches/${l.batch_id}`}>{l.batch_name}</Link>}
        <span className="block break-words text-xs opacity-70">{said(l.detail)}</span>
      </td>
    </tr>
  )
}
