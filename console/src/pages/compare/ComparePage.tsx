import { lazy, Suspense, useEffect, useMemo, useRef, useState } from 'react'
import { useQuery } from '@tanstack/react-query'
import { Link, useParams } from 'react-router'
import { get, getBytes, study, type Comparison, type PartWithRevisions, type Revision, type Study } from '../../shared/api'
import { useKeys } from '../../shared/keys'
import { Trouble } from '../../shared/Trouble'
import { digits } from '../../shared/words'
import type { Look, Scene } from '../../viewer/scene'
import { useAddress } from '../part/address'
import { useProcess, useRevision } from '../part/revision'
import { Differences } from './Differences'
import { LayerChart } from './LayerChart'

const Viewer = lazy(async () => ({ default: (await import('../../viewer/Viewer')).Viewer }))

const plain: Look = { wireframe: false, backs: true, seeThrough: false, paint: true, walls: 'off', thinnest: 1, map: { kind: 'none', steepest: 45, most: 1 }, section: undefined, machine: undefined, onlyFinding: false }

/** ComparePage shows two revisions with one camera, side by side or over each other, and what differs. */
export function ComparePage() {
  const id = Number(useParams().id)
  const { search, go } = useAddress()
  const part = useQuery({ queryKey: ['part', id], queryFn: () => get<PartWithRevisions>(`/parts/${id}`) })
  const current = part.data?.part.current ?? 0
  const a = Number(search.get('a') ?? 0)
  const b = Number(search.get('b') ?? current)
  const over = search.get('show') === 'over'
  const left = useRevision(part.data, a)
  const right = useRevision(part.data, b)
  const process = useProcess(part.data?.batch.process)
  const [asked, setAsked] = useState<Study>()
  const [error, setError] = useState<unknown>()
  const [wireframe, setWireframe] = useState(false)
  const [divider, setDivider] = useState(0.5)
  const scenes = [useRef<Scene>(undefined), useRef<Scene>(undefined)]
  const ready = left.readable && right.readable && left.report.data !== undefined && right.report.data !== undefined
  useEffect(() => {
    if (!ready) return
    let gone = false
    setAsked(undefined)
    setError(undefined)
    study(id, { kind: 'compare', from: a, to: b }, (s) => gone || setAsked(s), () => gone).then((s) => gone || setAsked(s), (problem) => gone || setError(problem))
    return () => void (gone = true)
  }, [id, a, b, ready])
  const found = asked?.state === 'done' ? (asked.result as Comparison) : undefined
  const map = search.get('map') !== 'none'
  const far = useQuery({
    queryKey: ['deviation', id, asked?.id],
    queryFn: async () => {
      const [x, y] = await Promise.all(['a', 'b'].map((side) => getBytes(`/parts/${id}/studies/${asked!.id}/files/deviation-${side}.bin`)))
      return [new Float32Array(x!), new Float32Array(y!)]
    },
    enabled: found !== undefined && map,
    staleTime: Infinity,
  })
  useEffect(() => {
    if (map && found) [left, right].forEach((side) => side.wantFull()) // the map is of all vertices
  }, [map, found])
  const most = Math.max(found?.deviation_mm?.max ?? 0, 1e-6)
  const looks = useMemo(() => {
    const look: Look = { ...plain, wireframe, map: { kind: map && far.data ? 'deviation' : 'none', steepest: 45, most } }
    return [look, look]
  }, [wireframe, map, far.data, most])
  const camera = useRef('')
  const moved = (from: number) => (text: string) => {
    camera.current = text
    scenes[1 - from]!.current?.setCamera(text)
  }
  useKeys({
    w: () => setWireframe((on) => !on),
    h: () => go({ map: map ? 'none' : undefined }),
    s: () => go({ show: over ? undefined : 'over' }),
    f: () => scenes.forEach((s) => s.current?.fit()),
  })
  if (part.error) return <div className="p-6"><Trouble error={part.error} retry={() => part.refetch()} /></div>
  if (!part.data) return null
  const sides = [left, right]
  return (
    <div className="flex h-full min-h-0">
      <section className="flex min-w-0 flex-1 flex-col" aria-label="Compare">
        <div className="flex flex-wrap items-center gap-3 border-b border-base-300 bg-base-100 px-4 py-2 text-sm">
          <h1 className="truncate text-base font-semibold">
            <Link to={`/parts/${id}`} className="link link-hover">{part.data.part.name}</Link>
          </h1>
          <Choice label="before" value={a} revisions={part.data.revisions} choose={(r) => go({ a: r })} />
          <Choice label="after" value={b} revisions={part.data.revisions} choose={(r) => go({ b: r })} />
          <div className="ml-auto flex gap-1">
            <button className={`btn btn-xs ${over ? 'btn-ghost' : 'btn-secondary'}`} aria-pressed={!over} onClick={() => go({ show: undefined })}>Side by side</button>
            <button className={`btn btn-xs ${over ? 'btn-secondary' : 'btn-ghost'}`} data-show="over" aria-pressed={over} onClick={() => go({ show: 'over' })}>Divider</button>
            <button className={`btn btn-xs ${map ? 'btn-secondary' : 'btn-ghost'}`} aria-pressed={map} onClick={() => go({ map: map ? 'none' : undefined })}>Deviation</button>
            <button className={`btn btn-xs ${wireframe ? 'btn-secondary' : 'btn-ghost'}`} aria-pressed={wireframe} onClick={() => setWireframe(!wireframe)}>Wireframe</button>
          </div>
        </div>
        <div className={`relative min-h-0 flex-1 ${over ? '' : 'grid grid-cols-2 divide-x divide-base-300'}`}>
          <Suspense>
            {sides.map((side, i) => (
              <div key={i} className={over ? 'absolute inset-0' : 'relative'} style={over ? { clipPath: i === 0 ? `inset(0 ${100 - 100 * divider}% 0 0)` : `inset(0 0 0 ${100 * divider}%)` } : undefined}>
                <Viewer mesh={side.view.data} look={looks[i]!} deviation={far.data && side.full ? far.data[i] : undefined} scene={scenes[i]!} moved={moved(i)} camera={camera.current} />
                <span className={`absolute top-2 rounded-field bg-base-100/90 px-2 py-0.5 text-sm font-medium ${over && i === 1 ? 'right-3' : 'left-3'}`}>r{i === 0 ? a : b}</span>
              </div>
            ))}
          </Suspense>
          {over && <Divider at={divider} set={setDivider} />}
          {map && found && (
            <div className="absolute bottom-3 left-3 w-56 rounded-box border border-base-300 bg-base-100/95 p-2 text-xs" aria-label="Deviation">
              <div className="h-3 rounded-sm" style={{ background: 'linear-gradient(90deg, #e4f1ee, #e9ad30, #93145f)' }} />
              <div className="mt-1 flex justify-between tabular-nums"><span>0</span><span>{digits(most)} mm apart</span></div>
            </div>
          )}
        </div>
      </section>
      <aside className="w-96 shrink-0 overflow-auto border-l border-base-300 bg-base-100 p-4" aria-label="Differences">
        <Trouble error={error} />
        {!found && !error && (
          <p className="text-sm" role="status">
            {asked?.stage || 'measuring'} … <progress className="progress progress-secondary" value={asked?.progress ?? 0} max={1} aria-label="progress" />
          </p>
        )}
        {found && <Differences found={found} a={a} b={b} process={process} />}
        {found && <LayerChart layers={found.layers} />}
      </aside>
    </div>
  )
}

function Choice({ label, value, revisions, choose }: { label: string; value: number; revisions: Revision[]; choose: (r: number) => void }) {
  return (
    <label className="flex items-center gap-1.5">
      <span className="opacity-70">{label}</span>
      <select className="select select-xs w-44" value={value} data-choice={label} onChange={(e) => choose(Number(e.target.value))}>
        {revisions.map((r) => (
          <option key={r.number} value={r.number}>r{r.number} {r.number === 0 ? 'as received' : r.repair?.called || r.repair?.method}</option>
        ))}
      </select>
    </label>
  )
}

/** Divider is drawn over both views, and dragged from side to side. */
function Divider({ at, set }: { at: number; set: (share: number) => void }) {
  return (
    <div
      role="slider"
      tabIndex={0}
      aria-label="divider"
      aria-valuenow={Math.round(100 * at)}
      className="absolute inset-y-0 z-10 w-4 -translate-x-2 cursor-ew-resize touch-none"
      style={{ left: `${100 * at}%` }}
      onPointerDown={(e) => e.currentTarget.setPointerCapture(e.pointerId)}
      onPointerMove={(e) => {
        const box = e.currentTarget.parentElement!.getBoundingClientRect()
        if (e.buttons) set(Math.max(0.02, Math.min(0.98, (e.clientX - box.left) / box.width)))
      }}
      onKeyDown={(e) => {
        if (e.key === 'ArrowLeft') set(Math.max(0.02, at - 0.02))
        if (e.key === 'ArrowRight') set(Math.min(0.98, at + 0.02))
      }}
    >
      <div className="mx-auto h-full w-0.5 bg-accent" />
      <div className="absolute left-1/2 top-1/2 h-8 w-3 -translate-x-1/2 -translate-y-1/2 rounded-full bg-accent" />
    </div>
  )
}
