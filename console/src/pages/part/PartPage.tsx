import { lazy, Suspense, useEffect, useMemo, useRef, useState } from 'react'
import { useQuery, useQueryClient } from '@tanstack/react-query'
import { Link, useNavigate, useParams } from 'react-router'
import { address, get, post, revisionPath, type PartWithRevisions } from '../../shared/api'
import { useKeys } from '../../shared/keys'
import { useLive } from '../../shared/live'
import { Lost } from '../../shared/Lost'
import { Mark } from '../../shared/Mark'
import { Progress } from '../../shared/Progress'
import { Trouble } from '../../shared/Trouble'
import { bytes, count, outcome, size as sizeWords } from '../../shared/words'
import type { Hit, Look, Scene } from '../../viewer/scene'
import { ByHand } from './ByHand'
import { Facts } from './Facts'
import { Findings } from './Findings'
import { LayerStrip } from './LayerStrip'
import { LayerView } from './LayerView'
import { Lighter } from './Lighter'
import { Hollow } from './Hollow'
import { Mend } from './Mend'
import { Questions } from './Questions'
import { Record } from './Record'
import { Revisions } from './Revisions'
import { Shells } from './Shells'
import { ViewTools, type Switches } from './ViewTools'
import { Legend } from './Legend'
import { readCut, useAddress, writeCut } from './address'
import { useProcess, useRevision } from './revision'

const Viewer = lazy(async () => ({ default: (await import('../../viewer/Viewer')).Viewer }))

const tabs = [['findings', 'Findings'], ['shells', 'Shells'], ['mend', 'Mend'], ['lighter', 'Lighter'], ['facts', 'Measures'], ['record', 'Record']] as const
type Tab = (typeof tabs)[number][0]

/** PartPage is the bench for one part. Revision, finding, place, cut and camera stand in the address. */
export function PartPage() {
  const id = Number(useParams().id)
  const { search, go } = useAddress()
  const navigate = useNavigate()
  const queries = useQueryClient()
  const part = useQuery({ queryKey: ['part', id], queryFn: () => get<PartWithRevisions>(`/parts/${id}`) })
  const current = part.data?.part
  const again = () => queries.invalidateQueries({ queryKey: ['part', id] })
  const { lost } = useLive(part.data ? `/batches/${part.data.batch.id}/events` : undefined, 'batch', again)
  const shown = search.get('r') === null ? (current?.current ?? 0) : Number(search.get('r'))
  const { revision, checked, readable, report, view, full, wantFull } = useRevision(part.data, shown)
  const process = useProcess(part.data?.batch.process)

  const [switches, setSwitches] = useState<Switches>({ wireframe: false, backs: true, seeThrough: false, paint: true, walls: 'off', machine: false, onlyFinding: false })
  const [measuring, setMeasuring] = useState(false)
  const [hits, setHits] = useState<Hit[]>([])
  const [hidden, setHidden] = useState<ReadonlySet<number>>(new Set())
  const scene = useRef<Scene>(undefined)
  const cut = readCut(search.get('cut'))
  const map = search.get('map') === 'overhang' ? 'overhang' : 'none'
  const middle = view.data?.centre
  const look = useMemo<Look>(
    () => ({
      ...switches,
      thinnest: process?.wall_mm ?? 1,
      map: { kind: map, steepest: process?.overhang_deg ?? 45, most: 1 },
      section: cut && middle ? { axis: cut.axis, at: cut.at - middle['xyz'.indexOf(cut.axis)]!, flip: cut.flip } : undefined,
      machine: switches.machine ? process?.machine_mm : undefined,
    }),
    [switches, process, map, cut?.axis, cut?.at, cut?.flip, middle],
  )

  const kind = search.get('finding')
  const finding = report.data?.findings.find((f) => f.kind === kind)
  const chosen = finding && search.get('place') !== null ? Math.min(Number(search.get('place')), finding.places.length - 1) : undefined
  const places = useMemo(() => (full ? finding?.places : finding?.places.map((p) => ({ ...p, triangles: [] }))) ?? [], [finding, full])
  const only = search.get('shell') === null ? undefined : Number(search.get('shell'))
  useEffect(() => {
    if (finding || only !== undefined || hidden.size > 0) wantFull()
  }, [finding, only, hidden])
  useEffect(() => setHits([]), [shown])
  const measured = useMemo(() => hits.map((h) => h.at), [hits])
  const tab = (search.get('tab') ?? 'findings') as Tab

  const pick = (finding: string | undefined, place: number | undefined) => go({ finding, place, r: shown, cam: undefined })
  const step = (by: number) => {
    const n = finding?.places.length ?? 0
    if (finding && n > 0) pick(finding.kind, ((chosen ?? 0) + by + n) % n)
  }
  const nextFinding = (by: number) => {
    const list = report.data?.findings ?? []
    if (list.length === 0) return
    const at = list.findIndex((f) => f.kind === kind)
    const next = list[at < 0 ? (by > 0 ? 0 : list.length - 1) : (at + by + list.length) % list.length]!
    go({ tab: undefined, finding: next.kind, place: next.places.length ? 0 : undefined, r: shown, cam: undefined })
  }
  const size = report.data?.geometry.size_mm
  const low = report.data?.geometry.min_mm
  const cutAt = (z: number | undefined) => go({ cut: z === undefined ? undefined : writeCut({ axis: 'z', at: z, flip: false }) })
  const layer = process?.layer_mm ?? 0.2
  const flick = (what: 'wireframe' | 'backs' | 'seeThrough' | 'paint' | 'machine' | 'onlyFinding') => setSwitches((s) => ({ ...s, [what]: !s[what] }))
  useKeys({
    n: () => step(1),
    p: () => step(-1),
    N: () => nextFinding(1),
    P: () => nextFinding(-1),
    o: () => flick('onlyFinding'),
    f: () => scene.current?.fit(),
    w: () => flick('wireframe'),
    b: () => flick('backs'),
    t: () => flick('seeThrough'),
    k: () => flick('paint'),
    v: () => flick('machine'),
    h: () => go({ map: map === 'overhang' ? undefined : 'overhang' }),
    m: () => setMeasuring((on) => !on),
    l: () => size && low && cutAt(cut ? undefined : low[2] + size[2] / 2),
    ArrowUp: () => cut && cutAt(cut.at + layer),
    ArrowDown: () => cut && cutAt(cut.at - layer),
    c: () => part.data && part.data.revisions.length > 1 && navigate(`/parts/${id}/compare`),
    Escape: () => go({ finding: undefined, place: undefined, cut: undefined, shell: undefined, map: undefined }),
  })

  if (part.error) return <div className="p-6"><Trouble error={part.error} retry={() => part.refetch()} /></div>
  if (!part.data || !current) return null
  const working = current.state === 'waiting' || current.state === 'working'
  const ordered = () => {
    go({ r: undefined, finding: undefined, place: undefined, shell: undefined })
    again()
  }
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
            <Viewer
              mesh={view.data}
              places={places}
              chosen={chosen}
              look={look}
              hidden={hidden}
              only={only}
              measured={measured}
              camera={search.get('cam')}
              moved={(cam, done) => done && go({ cam })}
              picked={measuring ? (hit) => setHits((old) => (old.length > 1 ? [hit] : [...old, hit])) : undefined}
              scene={scene}
            />
          </Suspense>
        )}
        {view.error && <div className="absolute inset-x-6 top-16"><Trouble error={view.error} retry={() => view.refetch()} /></div>}
        <div className="absolute left-4 top-3 max-w-[60%] text-sm">
          <Link to={`/batches/${part.data.batch.id}`} className="link link-hover opacity-70">{part.data.batch.name}</Link>
          <h1 className="truncate text-lg font-semibold" title={current.name}>{current.name}</h1>
          <Lost lost={lost} />
          {view.data && !full && (
            <p className="mt-1">
              A lighter copy is shown.{' '}
              <button className="link" onClick={wantFull}>Show all {count(revision?.triangles ?? 0)} triangles</button>
            </p>
          )}
        </div>
        {readable && report.data && size && low && (
          <>
            <ViewTools
              switches={switches}
              set={setSwitches}
              scene={scene}
              finding={finding !== undefined}
              painted={view.data?.paint !== undefined}
              overhang={map === 'overhang'}
              setOverhang={(on) => go({ map: on ? 'overhang' : undefined })}
              measuring={measuring}
              setMeasuring={setMeasuring}
              cut={cut}
              setCut={(next) => go({ cut: next && writeCut(next) })}
              low={low}
              size={size}
            />
            <Legend look={look} hits={measuring ? hits : undefined} choose={(walls) => setSwitches((s) => ({ ...s, walls }))} />
            <LayerStrip report={report.data} kind={kind ?? undefined} at={cut?.axis === 'z' ? cut.at : undefined} low={low[2]} high={low[2] + size[2]} layer={layer} set={cutAt} />
            {cut?.axis === 'z' && view.data && <LayerView mesh={view.data} at={cut.at} layer={layer} low={low} size={size} />}
          </>
        )}
      </section>
      <aside className="flex w-96 shrink-0 flex-col border-l border-base-300 bg-base-100" aria-label="Part">
        <div className="space-y-3 border-b border-base-300 p-4">
          <div className="flex items-center text-lg">
            <Mark outcome={outcome(current)} />
            {current.signed && <span className="ml-3 rounded-selector border border-base-300 px-1.5 text-sm" data-signed={current.signed}>{current.signed === 'approved' ? 'signed off' : current.signed}</span>}
            {working && <span className="ml-auto truncate pl-3 text-sm opacity-70">{current.stage || 'waiting'}</span>}
            {!working && size && <span className="ml-auto pl-3 text-sm tabular-nums">{sizeWords(size)}</span>}
          </div>
          {working && (
            <div className="flex items-center gap-3">
              <Progress done={current.progress} />
              <button className="btn btn-xs" id="stop" onClick={() => post(`/parts/${id}/stop`).then(again)}>Stop</button>
            </div>
          )}
          {current.state === 'failed' && (
            <>
              <Trouble error={current.problem} />
              <button className="btn btn-sm" id="check-again" onClick={() => post(`/parts/${id}/check`).then(again)}>Check again</button>
            </>
          )}
          <Revisions part={id} revisions={part.data.revisions} shown={shown} show={(r) => go({ r, finding: undefined, place: undefined, shell: undefined })} />
        </div>
        <div className="min-h-0 flex-1 overflow-auto p-4">
          {report.data && report.data.questions.length > 0 && (shown === 0 || shown === current.current) && (
            <div className="mb-4 space-y-3"><Questions part={current} revision={shown} report={report.data} answered={again} /></div>
          )}
          {report.data && !report.data.unread && (
            <>
              <div role="tablist" className="mb-3 flex border-b border-base-300 text-[13px]" aria-label="About the part">
                {tabs.map(([name, label]) => (
                  <button
                    key={name}
                    role="tab"
                    aria-selected={tab === name}
                    data-tab={name}
                    className={`-mb-px whitespace-nowrap border-b-2 px-1 py-1.5 ${tab === name ? 'border-secondary font-medium' : 'border-transparent opacity-70 hover:opacity-100'}`}
                    onClick={() => go({ tab: name === 'findings' ? undefined : name })}
                  >
                    {label}
                    {name === 'findings' && report.data.findings.length > 0 && <span className="ml-1 opacity-60">{report.data.findings.length}</span>}
                    {name === 'shells' && report.data.geometry.shells > 1 && <span className="ml-1 opacity-60">{count(report.data.geometry.shells)}</span>}
                  </button>
                ))}
              </div>
              {tab === 'findings' && (
                <>
                  <Findings report={report.data} kind={kind ?? undefined} chosen={chosen} pick={pick} />
                  {finding && <ByHand part={current} shown={shown} finding={finding} chosen={chosen} ordered={ordered} />}
                </>
              )}
              {tab === 'shells' && (
                <Shells part={current} shown={shown} report={report.data} hidden={hidden} setHidden={setHidden} only={only} setOnly={(shell) => go({ shell })} ordered={ordered} />
              )}
              {tab === 'mend' && <><Mend part={current} shown={shown} report={report.data} ordered={ordered} /><Hollow part={current} shown={shown} report={report.data} ordered={ordered} /></>}
              {tab === 'lighter' && <Lighter key={shown} part={current} shown={shown} report={report.data} ordered={ordered} />}
              {tab === 'facts' && <Facts report={report.data} />}
              {tab === 'record' && <Record part={current} kinds={report.data.findings.map((f) => f.kind)} changed={again} />}
            </>
          )}
        </div>
        {revision && (
          <div className="flex gap-2 border-t border-base-300 p-3">
            <a id="download" className="btn btn-primary btn-sm flex-1" href={address(revisionPath(id, shown, 'file'))} download>
              Download r{shown} ({bytes(revision.file_bytes)})
            </a>
            {checked && (
              <a className="btn btn-outline btn-sm" href={address(revisionPath(id, shown, 'report'))} download={`${current.name}.r${shown}.report.json`}>
                Report
              </a>
            )}
          </div>
        )}
      </aside>
    </div>
  )
}
