import { useState } from 'react'
import { useQuery, useQueryClient } from '@tanstack/react-query'
import { Link } from 'react-router'
import { dropped, get, type Batch } from '../../shared/api'
import { useLive } from '../../shared/live'
import { Lost } from '../../shared/Lost'
import { Trouble } from '../../shared/Trouble'
import { plural, when } from '../../shared/words'
import { Bar } from './Bar'
import { NewBatch } from './NewBatch'

/** Batches is the way in: what waits for a person, what runs, what is done, and where new files are dropped. */
export function Batches() {
  const queries = useQueryClient()
  const [more, setMore] = useState(100)
  const list = useQuery({ queryKey: ['batches', more], queryFn: () => get<Batch[]>(`/batches?limit=${more}`), placeholderData: (old) => old })
  const { lost } = useLive<Batch[]>('/events', 'batches', (changed) =>
    queries.setQueryData<Batch[]>(['batches', more], (old) => merge(old ?? [], changed)),
  )
  const [files, setFiles] = useState<File[]>([])
  const [over, setOver] = useState(false)
  const groups = grouped(list.data ?? [])
  return (
    <div
      className="min-h-full"
      onDragOver={(e) => {
        e.preventDefault()
        setOver(true)
      }}
      onDragLeave={(e) => e.currentTarget.contains(e.relatedTarget as Node | null) || setOver(false)}
      onDrop={(e) => {
        e.preventDefault()
        setOver(false)
        dropped(e.dataTransfer).then(setFiles, () => {})
      }}
    >
      <div className="mx-auto grid max-w-7xl gap-6 p-6 lg:grid-cols-[1fr_20rem]">
        <div>
          <h1 className="sr-only">Batches</h1>
          <Lost lost={lost} />
          <Trouble error={list.error} retry={() => list.refetch()} />
          {list.data?.length === 0 && (
            <p className="rounded-box border border-dashed border-base-300 p-10 text-center opacity-70">No batch yet. Drop a customer's files anywhere on this page.</p>
          )}
          {groups.map(
            ([title, batches]) =>
              batches.length > 0 && (
                <section key={title} aria-label={title} className="mb-6">
                  <h2 className="mb-2 flex items-baseline gap-2 font-semibold">
                    {title} <span className="text-sm font-normal opacity-60">{batches.length}</span>
                  </h2>
                  <ul className="space-y-3">{batches.map((b) => <Row key={b.id} batch={b} />)}</ul>
                </section>
              ),
          )}
          {(list.data?.length ?? 0) >= more && more < 500 && <button className="btn btn-sm" onClick={() => setMore(500)}>Show earlier ones</button>}
        </div>
        <NewBatch dropped={files} over={over} />
      </div>
    </div>
  )
}

/** merge puts changed batches over the known ones, newest first. */
export function merge(old: Batch[], changed: Batch[]): Batch[] {
  const byId = new Map(old.map((b) => [b.id, b]))
  for (const b of changed) byId.set(b.id, b)
  return [...byId.values()].sort((a, b) => b.id - a.id)
}

/** grouped puts what waits for a person first, then what runs, then what is done. */
export function grouped(batches: Batch[]): [title: string, batches: Batch[]][] {
  const waits = (b: Batch) => b.counts.hold + b.counts.failed > 0
  return [
    ['Waiting for you', batches.filter(waits)],
    ['At work', batches.filter((b) => !waits(b) && b.counts.waiting > 0)],
    ['Done', batches.filter((b) => !waits(b) && b.counts.waiting === 0)],
  ]
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
