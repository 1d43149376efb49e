import { useState } from 'react'
import { useQuery, useQueryClient } from '@tanstack/react-query'
import { Link, useNavigate, useParams } from 'react-router'
import { address, get, post, revisionPath, type BatchWithParts, type Part } from '../../shared/api'
import { useLive } from '../../shared/live'
import { Mark } from '../../shared/Mark'
import { Trouble } from '../../shared/Trouble'
import { bytes, count, foundAs, outcome, plural, size, when } from '../../shared/words'
import { Bar } from '../batches/Batches'

export function BatchPage() {
  const id = Number(useParams().id)
  const queries = useQueryClient()
  const query = useQuery({ queryKey: ['batch', id], queryFn: () => get<BatchWithParts>(`/batches/${id}`) })
  const { lost } = useLive<BatchWithParts>(`/batches/${id}/events`, 'batch', (now) =>
    queries.setQueryData<BatchWithParts>(['batch', id], (old) => mergeParts(old, now)),
  )
  if (query.error) return <div className="p-6"><Trouble error={query.error} retry={() => query.refetch()} /></div>
  if (!query.data) return null
  const { batch, parts, beside } = query.data
  return (
    <div className="mx-auto max-w-6xl p-6">
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
      {lost && <p className="mt-2 text-sm text-warning">The connection to the service is lost; trying again …</p>}
      <div className="flex items-center gap-4">
        <div className="flex-1"><Bar counts={batch.counts} /></div>
        {batch.counts.repair > 0 && <MendAll batch={batch.id} parts={batch.counts.repair} busy={batch.counts.waiting > 0} />}
      </div>
      <div className="mt-5 overflow-hidden rounded-box border border-base-300 bg-base-100">
        <table className="w-full text-sm">
          <thead>
            <tr className="border-b border-base-300 text-left opacity-70">
              <th className="w-28 px-4 py-2 font-medium">{plural(parts.length, 'part')}</th>
              <th className="px-2 py-2 font-medium">File</th>
              <th className="px-2 py-2 font-medium">Verdict</th>
              <th className="px-2 py-2 text-right font-medium">Size</th>
              <th className="px-2 py-2 text-right font-medium">Triangles</th>
              <th className="px-4 py-2 font-medium">Found as received</th>
            </tr>
          </thead>
          <tbody>{parts.map((p) => <Row key={p.id} part={p} />)}</tbody>
        </table>
      </div>
      {beside && beside.length > 0 && (
        <p className="mt-3 text-sm opacity-70">
          Came along with them: {beside.map((c) => `${c.path} (${bytes(c.bytes)})`).join(', ')}
        </p>
      )}
    </div>
  )
}

/** MendAll has every part mended that calls for it; those with a question wait for its answer. */
function MendAll({ batch, parts, busy }: { batch: number; parts: number; busy: boolean }) {
  const [error, setError] = useState<unknown>()
  return (
    <div>
      <button id="mend-all" className="btn btn-secondary btn-sm mt-3" disabled={busy} onClick={() => post(`/batches/${batch}/repair`).catch(setError)}>
        Mend {plural(parts, 'part')}
      </button>
      {error !== undefined && <Trouble error={error} />}
    </div>
  )
}

/** mergeParts puts the parts that changed over the known ones. */
export function mergeParts(old: BatchWithParts | undefined, now: BatchWithParts): BatchWithParts {
  const byId = new Map(old?.parts.map((p) => [p.id, p]))
  for (const p of now.parts) byId.set(p.id, p)
  return { batch: now.batch, beside: now.beside ?? old?.beside ?? null, parts: [...byId.values()].sort((a, b) => a.id - b.id) }
}

function Row({ part }: { part: Part }) {
  const go = useNavigate()
  const what = outcome(part)
  const findings = part.findings.filter((f) => f.severity !== 'note')
  return (
    <tr className="cursor-pointer border-b border-base-300 last:border-0 hover:bg-base-200" data-part={part.id} onClick={() => go(`/parts/${part.id}`)}>
      <td className="px-4 py-1.5">
        <div className="grid h-16 w-22 place-items-center">
          {part.has_picture ? (
            <img src={address(revisionPath(part.id, part.current, 'picture')) + `?v=${part.current}${part.unit_set ?? ''}`} alt="" className="max-h-16" loading="lazy" />
          ) : (
            <span className="text-2xl opacity-30" aria-hidden>{what === 'reject' ? '×' : '·'}</span>
          )}
        </div>
      </td>
      <td className="px-2">
        <Link to={`/parts/${part.id}`} className="font-medium hover:underline" onClick={(e) => e.stopPropagation()}>{part.name}</Link>
        <div className="opacity-60">{part.format && `${part.format}, `}{bytes(part.bytes)}</div>
      </td>
      <td className="px-2">
        {what === 'working' ? (
          <div className="w-32">
            <progress className="progress progress-secondary" value={part.progress} max={1} aria-label="progress" />
            <div className="text-xs opacity-70">{part.stage || 'waiting'}</div>
          </div>
        ) : (
          <Mark outcome={what} />
        )}
      </td>
      <td className="whitespace-nowrap px-2 text-right tabular-nums">{part.triangles > 0 && size(part.size_mm)}</td>
      <td className="px-2 text-right tabular-nums">{part.triangles > 0 && count(part.triangles)}</td>
      <td className="max-w-80 px-4">
        {part.problem ? (
          <span className="text-error">{part.problem.replace(part.name, '').replace(/^[,:]\s*/, '')}</span>
        ) : (
          findings.map((f) => (
            <div key={f.kind}>{f.severity === 'question' ? f.summary : foundAs(f.kind, f.count)}</div>
          ))
        )}
      </td>
    </tr>
  )
}
