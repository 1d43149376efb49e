import { useQuery, useQueryClient } from '@tanstack/react-query'
import { Link } from 'react-router'
import { get, post, type JobRow } from '../../shared/api'
import { Trouble } from '../../shared/Trouble'
import { remaining, when } from '../../shared/words'

const kinds: Record<JobRow['kind'], string> = { inspect: 'check', mend: 'repair', study: 'study' }

/** took is how long a job ran, or has run. */
export function took(job: JobRow, now: number): string {
  if (!job.started_at) return ''
  const seconds = ((job.finished_at ? Date.parse(job.finished_at) : now) - Date.parse(job.started_at)) / 1000
  if (!(seconds >= 0)) return ''
  return seconds < 10 ? `${seconds.toFixed(1)} s` : seconds < 120 ? `${Math.round(seconds)} s` : `${Math.round(seconds / 60)} min`
}

/** Jobs is what the workers do now, what waits for them, and what they did last. */
export function Jobs() {
  const queries = useQueryClient()
  const list = useQuery({ queryKey: ['jobs'], queryFn: () => get<JobRow[]>('/jobs'), refetchInterval: 1000 })
  const groups: [string, JobRow[]][] = [
    ['Running', list.data?.filter((j) => j.state === 'running') ?? []],
    ['Waiting', list.data?.filter((j) => j.state === 'queued') ?? []],
    ['Ended last', list.data?.filter((j) => !['running', 'queued'].includes(j.state)) ?? []],
  ]
  return (
    <div className="mx-auto max-w-6xl p-6">
      <h1 className="mb-4 text-xl font-semibold">Jobs</h1>
      <Trouble error={list.error} retry={() => list.refetch()} />
      {groups.map(([title, jobs]) => (
        <section key={title} aria-label={title} className="mb-6">
          <h2 className="mb-2 font-semibold">
            {title} <span className="text-sm font-normal opacity-60">{jobs.length}</span>
          </h2>
          {jobs.length === 0 && <p className="text-sm opacity-70">Nothing.</p>}
          {jobs.length > 0 && (
            <table className="w-full rounded-box border border-base-300 bg-base-100 text-sm">
              <tbody>
                {jobs.map((j) => (
                  <tr key={j.id} data-job={j.id} className="border-b border-base-300 last:border-0">
                    <td className="w-20 px-3 py-1.5">{kinds[j.kind]}</td>
                    <td className="px-2">
                      <Link className="link link-hover font-medium" to={`/parts/${j.part_id}`}>{j.part_name}</Link>{' '}
                      <Link className="link link-hover opacity-70" to={`/batches/${j.batch_id}`}>{j.batch_name}</Link>
                      {j.error && <div className="text-error">{j.error}</div>}
                    </td>
                    <td className="w-64 px-2">
                      {j.state === 'running' ? (
                        <span className="flex items-center gap-2">
                          <progress className="progress progress-secondary w-24" value={j.progress} max={1} aria-label="progress" />
                          <span className="truncate text-xs opacity-70">{j.stage}</span>
                        </span>
                      ) : (
                        j.state
                      )}
                    </td>
                    <td className="w-36 px-2 text-right tabular-nums">
                      {took(j, Date.now())}
                      {j.state === 'running' && j.started_at && <div className="text-xs opacity-70">{remaining(j.kind === 'study' ? j.progress : Math.min(1, (j.progress % 0.5) * 2), (Date.now() - Date.parse(j.started_at)) / 1000)}</div>}
                    </td>
                    <td className="w-48 whitespace-nowrap px-3 text-right opacity-70">{j.state === 'queued' || j.state === 'running' ? (j.kind === 'study' ? '' : <button className="btn btn-xs" onClick={() => post(`/parts/${j.part_id}/stop`).then(() => queries.invalidateQueries({ queryKey: ['jobs'] }))}>Stop</button>) : when(j.finished_at ?? j.created_at)}</td>
                  </tr>
                ))}
              </tbody>
            </table>
          )}
        </section>
      ))}
    </div>
  )
}
