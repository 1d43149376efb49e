import { useState } from 'react'
import { useQuery, useQueryClient } from '@tanstack/react-query'
import { Link } from 'react-router'
import { get, type Batch } from '../../shared/api'
import { useLive } from '../../shared/live'
import { Trouble } from '../../shared/Trouble'
import { outcomes, plural, share, shares, when } from '../../shared/words'
import { NewBatch } from './NewBatch'

export function Batches() {
  const queries = useQueryClient()
  const list = useQuery({ queryKey: ['batches'], queryFn: () => get<Batch[]>('/batches') })
  const { lost } = useLive<Batch[]>('/events', 'batches', (changed) =>
    queries.setQueryData<Batch[]>(['batches'], (old) => merge(old ?? [], changed)),
  )
  const [dropped, setDropped] = useState<File[]>([])
  const [over, setOver] = useState(false)
  return (
    <div
      className="mx-auto grid max-w-6xl gap-6 p-6 lg:grid-cols-[1fr_20rem]"
      onDragOver={(e) => {
        e.preventDefault()
        setOver(true)
      }}
      onDragLeave={() => setOver(false)}
      onDrop={(e) => {
        e.preventDefault()
        setOver(false)
        setDropped([...e.dataTransfer.files])
      }}
    >
      <section aria-label="Batches">
        <h1 className="mb-4 text-xl font-semibold">Batches</h1>
        {lost && <p className="mb-3 text-sm text-warning">The connection to the service is lost; trying again …</p>}
        <Trouble error={list.error} retry={() => list.refetch()} />
        {list.data?.length === 0 && (
          <p className="rounded-box border border-dashed border-base-300 p-10 text-center opacity-70">No batch yet. Drop a customer's files anywhere on this page.</p>
        )}
        <ul className="space-y-3">{list.data?.map((b) => <Row key={b.id} batch={b} />)}</ul>
      </section>
      <NewBatch dropped={dropped} over={over} />
    </div>
  )
}

/** merge puts changed batches over the known ones, newest first. */
export function merge(old: Batch[], changed: Batch[]): Batch[] {
  const byId = new Map(old.map((b) => [b.id, b]))
  for (const b of changed) byId.set(b.id, b)
  return [...byId.values()].sort((a, b) => b.id - a.id)
}

function Row({ batch }: { batch: Batch }) {
  const c = batch.counts
  return (
    <li>
      <Link to={`/batches/${batch.id}`} className="block rounded-box border border-base-300 bg-base-100 p-4 hover:border-secondary" data-batch={batch.id}>
        <div className="flex items-baseline gap-3">
          <span className="text-lg font-semibold">{batch.name}</span>
          <span className="opacity-70">{batch.customer}</span>
          <span className="ml-auto text-sm opacity-70">{when(batch.created_at)}</span>
        </div>
        <div className="mt-1 text-sm opacity-70">
          {plural(c.parts, 'part')} for {batch.process}
        </div>
        <Bar counts={c} />
      </Link>
    </li>
  )
}

/** Bar shows how a batch's parts came out, as lengths and in words. */
export function Bar({ counts }: { counts: Batch['counts'] }) {
  return (
    <div className="mt-3">
      <div className="flex h-2 gap-0.5 overflow-hidden rounded-full" role="img" aria-label={shares(counts).map((s) => share(s.outcome, s.n)).join(', ')}>
        {shares(counts).map((s) => (
          <div key={s.outcome} className={outcomes[s.outcome].fill} style={{ flexGrow: s.n }} />
        ))}
      </div>
      <div className="mt-2 flex flex-wrap gap-x-4 gap-y-1 text-sm">
        {shares(counts).map((s) => (
          <span key={s.outcome} className="inline-flex items-center gap-1.5">
            <span className={`grid size-4 place-items-center rounded-selector text-[10px] font-bold ${outcomes[s.outcome].fill}`}>{outcomes[s.outcome].letter}</span>
            {share(s.outcome, s.n)}
          </span>
        ))}
        {counts.waiting > 0 && <span className="ml-auto opacity-70">{Math.round(100 * counts.progress)} % done</span>}
      </div>
    </div>
  )
}
