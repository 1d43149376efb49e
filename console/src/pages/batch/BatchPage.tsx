import { useMemo, useState } from 'react'
import { useQuery, useQueryClient } from '@tanstack/react-query'
import { Link, useParams } from 'react-router'
import { address, get, type BatchWithParts } from '../../shared/api'
import { useKeys } from '../../shared/keys'
import { useLive } from '../../shared/live'
import { Lost } from '../../shared/Lost'
import { Trouble } from '../../shared/Trouble'
import { bytes, outcomes, plural, when, type Outcome } from '../../shared/words'
import { Bar } from '../batches/Bar'
import { useAddress } from '../part/address'
import { Actions } from './Actions'
import { LineUp } from './LineUp'
import { Pictures } from './Pictures'
import { Table } from './Table'
import { choose, kindsOf, type Filter, type Order } from './choose'

const views = [['table', 'Table'], ['pictures', 'Pictures'], ['line-up', 'Line-up']] as const

/** BatchPage is what came in one go: what became of each part, and what to do with many of them. */
export function BatchPage() {
  const id = Number(useParams().id)
  const { search, go } = useAddress()
  const queries = useQueryClient()
  const query = useQuery({ queryKey: ['batch', id], queryFn: () => get<BatchWithParts>(`/batches/${id}`) })
  const { lost } = useLive<BatchWithParts>(`/batches/${id}/events`, 'batch', (now) =>
    queries.setQueryData<BatchWithParts>(['batch', id], (old) => mergeParts(old, now)),
  )
  const [picked, setPicked] = useState<ReadonlySet<number>>(new Set())
  const view = search.get('view') ?? 'table'
  const filter: Filter = { outcome: (search.get('is') ?? undefined) as Outcome | undefined, kind: search.get('found') ?? undefined, text: search.get('name') ?? '' }
  const order = (search.get('by') ?? 'came') as Order
  const parts = query.data?.parts
  const shown = useMemo(() => choose(parts ?? [], filter, order), [parts, filter.outcome, filter.kind, filter.text, order])
  const kinds = useMemo(() => kindsOf(parts ?? []), [parts])
  useKeys({
    1: () => go({ view: undefined }),
    2: () => go({ view: 'pictures' }),
    3: () => go({ view: 'line-up' }),
    a: () => setPicked(picked.size === shown.length ? new Set() : new Set(shown.map((p) => p.id))),
    Escape: () => setPicked(new Set()),
  })
  if (query.error) return <div className="p-6"><Trouble error={query.error} retry={() => query.refetch()} /></div>
  if (!query.data || !parts) return null
  const { batch, beside } = query.data
  const chosen = shown.filter((p) => picked.has(p.id))
  return (
    <div className="mx-auto max-w-[96rem] p-6">
      <p className="text-sm">
        <Link to="/" className="link link-hover opacity-70">Batches</Link>
      </p>
      <div className="mt-1 flex items-baseline gap-3">
        <h1 className="text-xl font-semibold">{batch.name}</h1>
        <span className="opacity-70">{batch.customer}</span>
        <span className="ml-auto text-sm opacity-70">
          {batch.process} · received {when(batch.created_at)} by {batch.created_by}
        </span>
      </div>
      <Lost lost={lost} />
      <Bar counts={batch.counts} />
      <div className="mt-4 flex flex-wrap items-center gap-2 text-sm">
        <div className="join" role="tablist" aria-label="Shown as">
          {views.map(([name, label]) => (
            <button key={name} role="tab" aria-selected={view === name} data-view={name} className={`btn join-item btn-sm ${view === name ? 'btn-neutral' : ''}`} onClick={() => go({ view: name === 'table' ? undefined : name })}>
              {label}
            </button>
          ))}
        </div>
        <input className="input input-sm w-40" placeholder="part of a name" aria-label="part of a name" value={filter.text} onChange={(e) => go({ name: e.target.value || undefined })} />
        <select className="select select-sm w-36" aria-label="outcome" value={filter.outcome ?? ''} onChange={(e) => go({ is: e.target.value || undefined })}>
          <option value="">any outcome</option>
          {Object.entries(outcomes).map(([name, o]) => <option key={name} value={name}>{o.label}</option>)}
        </select>
        <select className="select select-sm w-44" aria-label="finding" value={filter.kind ?? ''} onChange={(e) => go({ found: e.target.value || undefined })}>
          <option value="">any finding</option>
          {kinds.map((k) => <option key={k} value={k}>{k.replaceAll('-', ' ')}</option>)}
        </select>
        <select className="select select-sm w-40" aria-label="order" value={order} onChange={(e) => go({ by: e.target.value === 'came' ? undefined : e.target.value })}>
          <option value="came">as they came</option>
          <option value="name">by name</option>
          <option value="verdict">what needs me first</option>
          <option value="size">largest first</option>
          <option value="triangles">heaviest first</option>
        </select>
        <span className="opacity-70">{shown.length < parts.length ? `${shown.length} of ${plural(parts.length, 'part')}` : plural(parts.length, 'part')}</span>
        <Actions batch={batch} chosen={chosen} clear={() => setPicked(new Set())} all={() => setPicked(new Set(shown.map((p) => p.id)))} />
        {chosen.length === 0 && <a className="btn btn-sm" id="batch-report" href={address(`/batches/${id}/report.pdf`)} target="_blank" rel="noreferrer">Report</a>}
        {chosen.length === 0 && <a id="export" className="btn btn-sm" href={address(`/batches/${id}/export`)} download>Download all</a>}
      </div>
      {view === 'table' && <Table parts={shown} picked={picked} setPicked={setPicked} />}
      {view === 'pictures' && <Pictures parts={shown} picked={picked} setPicked={setPicked} />}
      {view === 'line-up' && <LineUp parts={shown} />}
      {beside && beside.length > 0 && (
        <p className="mt-3 text-sm opacity-70">
          Came along with them: {beside.map((c) => `${c.path} (${bytes(c.bytes)})`).join(', ')}
        </p>
      )}
    </div>
  )
}

/** mergeParts puts the parts that changed over the known ones. */
export function mergeParts(old: BatchWithParts | undefined, now: BatchWithParts): BatchWithParts {
  const byId = new Map(old?.parts.map((p) => [p.id, p]))
  for (const p of now.parts) byId.set(p.id, p)
  return { batch: now.batch, beside: now.beside ?? old?.beside ?? [], parts: [...byId.values()].sort((a, b) => a.id - b.id) }
}
