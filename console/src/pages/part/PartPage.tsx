import { lazy, Suspense, useMemo, useState } from 'react'
import { useQuery, useQueryClient } from '@tanstack/react-query'
import { Link, useParams, useSearchParams } from 'react-router'
import { address, get, getBytes, revisionPath, type PartWithRevisions, type Process, type Report } from '../../shared/api'
import { useLive } from '../../shared/live'
import { Mark } from '../../shared/Mark'
import { Trouble } from '../../shared/Trouble'
import { bytes, outcome } from '../../shared/words'
import type { Look } from '../../viewer/scene'
import { readView } from '../../viewer/viewdata'
import { ByHand } from './ByHand'
import { Facts } from './Facts'
import { Findings } from './Findings'
import { WallLegend } from './WallLegend'
import { Revisions } from './Revisions'
import { Questions } from './Questions'

const Viewer = lazy(async () => ({ default: (await import('../../viewer/Viewer')).Viewer }))

/** PartPage is the bench for one part. Which revision, finding and place is shown stands in the address. */
export function PartPage() {
  const id = Number(useParams().id)
  const [search, setSearch] = useSearchParams()
  const queries = useQueryClient()
  const part = useQuery({ queryKey: ['part', id], queryFn: () => get<PartWithRevisions>(`/parts/${id}`) })
  const current = part.data?.part
  const shown = search.get('r') === null ? (current?.current ?? 0) : Number(search.get('r'))
  const revision = part.data?.revisions.find((r) => r.number === shown)
  const checked = revision !== undefined && revision.verdict !== ''
  const settled = `${shown}.${current?.unit_set ?? ''}.${revision?.verdict ?? ''}` // what report and view depend on
  const report = useQuery({ queryKey: ['report', id, settled], queryFn: () => get<Report>(revisionPath(id, shown, 'report')), enabled: checked, staleTime: Infinity })
  const readable = checked && report.data?.unread === undefined
  const view = useQuery({
    queryKey: ['view', id, settled],
    queryFn: async () => readView(await getBytes(revisionPath(id, shown, 'view'))),
    enabled: readable && report.data !== undefined,
    staleTime: Infinity,
    gcTime: 60_000,
  })
  const processes = useQuery({ queryKey: ['processes'], queryFn: () => get<Process[]>('/processes'), staleTime: Infinity })
  const thinnest = processes.data?.find((p) => p.name === part.data?.batch.process)?.wall_mm ?? 1
  const [switches, setLook] = useState({ wireframe: false, backs: true, seeThrough: false, walls: 'off' as Look['walls'] })
  const look = useMemo<Look>(() => ({ ...switches, thinnest }), [switches, thinnest])
  const [fitted, setFitted] = useState(0)

  const kind = search.get('finding')
  const finding = report.data?.findings.find((f) => f.kind === kind)
  const chosen = finding && search.get('place') !== null ? Math.min(Number(search.get('place')), finding.places.length - 1) : undefined
  const places = useMemo(() => finding?.places ?? [], [finding])
  const go = (to: Record<string, string | number | undefined>) =>
    setSearch((old) => {
      const next = new URLSearchParams(old)
      for (const [key, value] of Object.entries(to)) value === undefined ? next.delete(key) : next.set(key, String(value))
      return next
    }, { replace: true })

  if (part.error) return <div className="p-6"><Trouble error={part.error} retry={() => part.refetch()} /></div>
  if (!part.data || !current) return null
  const again = () => queries.invalidateQueries({ queryKey: ['part', id] })
  return (
    <div className="flex h-full min-h-0">
      <section className="relative min-w-0 flex-1" aria-label="View">
        {report.data?.unread ? (
          <div className="grid h-full place-items-center p-10">
            <div className="max-w-lg rounded-box border border-error/40 bg-base-100 p-6">
              <h2 className="mb-2 font-semibold">This file cannot be read</h2>
              <p>{report.data.unread}</p>
            </div>
          </div>
        ) : (
          <Suspense>
            <Viewer mesh={view.data} places={places} chosen={chosen} look={look} fitted={fitted} />
          </Suspense>
        )}
        {view.error && <div className="absolute inset-x-6 top-16"><Trouble error={view.error} retry={() => view.refetch()} /></div>}
        <div className="absolute left-4 top-3 text-sm">
          <Link to={`/batches/${part.data.batch.id}`} className="link link-hover opacity-70">{part.data.batch.name}</Link>
          <h1 className="text-lg font-semibold">{current.name}</h1>
        </div>
        {readable && (
          <div className="absolute bottom-4 left-4 flex gap-1 rounded-box border border-base-300 bg-base-100/90 p-1" role="toolbar" aria-label="View">
            <button className="btn btn-ghost btn-sm" onClick={() => setFitted((n) => n + 1)}>Whole part</button>
            <Switch label="Wireframe" on={look.wireframe} set={(wireframe) => setLook({ ...look, wireframe })} />
            <Switch label="Back faces" on={look.backs} set={(backs) => setLook({ ...look, backs })} />
            <Switch label="See through" on={look.seeThrough} set={(seeThrough) => setLook({ ...look, seeThrough })} />
            <Switch label="Walls" on={look.walls !== 'off'} set={(on) => setLook({ ...look, walls: on ? 'straight' : 'off' })} />
          </div>
        )}
        {readable && look.walls !== 'off' && <WallLegend thinnest={thinnest} measure={look.walls} choose={(walls) => setLook({ ...look, walls })} />}
      </section>
      <aside className="w-96 shrink-0 space-y-5 overflow-auto border-l border-base-300 bg-base-100 p-5" aria-label="Part">
        <div className="flex items-center text-lg">
          <Mark outcome={outcome(current)} />
          {current.state === 'working' && <span className="ml-auto text-sm opacity-70">{current.stage}</span>}
        </div>
        {(current.state === 'waiting' || current.state === 'working') && (
          <>
            <progress className="progress progress-secondary" value={current.progress} max={1} aria-label="progress" />
            <Follow batch={current.batch_id} changed={again} />
          </>
        )}
        {current.state === 'failed' && <Trouble error={current.problem} />}
        <Revisions revisions={part.data.revisions} shown={shown} show={(r) => go({ r, finding: undefined, place: undefined })} />
        {report.data && report.data.questions.length > 0 && (shown === 0 || shown === current.current) && <Questions part={current} revision={shown} report={report.data} answered={again} />}
        {report.data && !report.data.unread && (
          <>
            <Findings
              report={report.data}
              kind={kind ?? undefined}
              chosen={chosen}
              pick={(finding, place) => go({ finding, place, r: shown })}
            />
            <Facts report={report.data} />
            <ByHand part={current} shown={shown} report={report.data} finding={finding} chosen={chosen} ordered={() => {
              go({ r: undefined, finding: undefined, place: undefined })
              again()
            }} />
          </>
        )}
        {revision && (
          <a id="download" className="btn btn-primary w-full" href={address(revisionPath(id, shown, 'file'))} download>
            Download r{shown} ({bytes(revision.file_bytes)})
          </a>
        )}
        {checked && (
          <a className="btn btn-outline btn-sm w-full" href={address(revisionPath(id, shown, 'report'))} download={`${current.name}.r${shown}.report.json`}>
            Report as JSON
          </a>
        )}
      </aside>
    </div>
  )
}

function Switch({ label, on, set }: { label: string; on: boolean; set: (on: boolean) => void }) {
  return (
    <button className={`btn btn-sm ${on ? 'btn-secondary' : 'btn-ghost'}`} aria-pressed={on} onClick={() => set(!on)}>
      {label}
    </button>
  )
}

/** Follow asks for the part again whenever its batch says that something changed. */
function Follow({ batch, changed }: { batch: number; changed: () => void }) {
  useLive(`/batches/${batch}/events`, 'batch', changed)
  return null
}
