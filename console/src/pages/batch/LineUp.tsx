import { useState } from 'react'
import { useQueries } from '@tanstack/react-query'
import { Link } from 'react-router'
import { get, pictureOf, post, revisionPath, type Part, type Report, type Vec3 } from '../../shared/api'
import { Mark } from '../../shared/Mark'
import { Trouble } from '../../shared/Trouble'
import { digits, outcome, size } from '../../shared/words'

/** Known objects, smallest first: one of them stands beside the parts. */
const known = [
  { name: 'a shirt button', mm: 11, wide: 11, draw: <><circle cx="50" cy="50" r="48" /><circle cx="36" cy="50" r="7" className="fill-base-200" /><circle cx="64" cy="50" r="7" className="fill-base-200" /></> },
  { name: 'a teacup', mm: 80, wide: 100, draw: <><path d="M8 10H74L66 92Q64 98 58 98H24Q18 98 16 92Z" /><path d="M72 26Q98 26 94 48Q90 66 68 66" fill="none" className="stroke-base-content/50" strokeWidth="8" /></> },
  { name: 'a chair', mm: 900, wide: 450, draw: <path d="M10 0H26V46H90V100H76V62H26V100H10Z" /> },
  { name: 'a door', mm: 2000, wide: 850, draw: <><rect x="0" y="0" width="100" height="100" /><circle cx="86" cy="52" r="3" className="fill-base-200" /></> },
]

const tall = 230 // pixels of the tallest

/** scaleFor is how many pixels a millimetre gets, and the known object that says most at that scale. */
export function scaleFor(sizes: Vec3[], zoom = 1) {
  const most = Math.max(1e-6, ...sizes.map((s) => Math.max(s[2], s[1], s[0] / 2)))
  const scale = (tall / most) * zoom
  const beside = known.reduce((best, k) => (Math.abs(Math.log((k.mm * scale) / (tall / 2))) < Math.abs(Math.log((best.mm * scale) / (tall / 2))) ? k : best))
  return { scale, beside }
}

/** LineUp draws all parts at one true scale beside a known object: a wrong unit jumps out. */
export function LineUp({ parts }: { parts: Part[] }) {
  const seen = parts.filter((p) => p.has_picture && p.triangles > 0)
  const doubtful = seen.filter((p) => p.verdict === 'hold' && p.findings.some((f) => f.kind === 'unit'))
  const reports = useQueries({
    queries: doubtful.map((p) => ({ queryKey: ['report', p.id, 'line-up', p.unit_set, p.updated_at], queryFn: () => get<Report>(revisionPath(p.id, 0, 'report')), staleTime: Infinity })),
  })
  const units = new Map(doubtful.map((p, i) => [p.id, reports[i]?.data?.unit]))
  const [tried, setTried] = useState<Record<number, string>>({})
  const [zoom, setZoom] = useState(1)
  const [error, setError] = useState<unknown>()
  const sizeOf = (p: Part): Vec3 => {
    const unit = units.get(p.id)
    return unit?.candidates.find((c) => c.unit === (tried[p.id] ?? unit.chosen))?.size_mm ?? p.size_mm
  }
  if (seen.length === 0) return <p className="mt-6 text-sm opacity-70">No part can be drawn yet.</p>
  const { scale, beside } = scaleFor(seen.map(sizeOf), zoom)
  const bar = 10 ** Math.floor(Math.log10(240 / scale))
  return (
    <section className="mt-3 rounded-box border border-base-300 bg-base-100 p-5" aria-label="Line-up">
      <div className="flex items-center gap-4 text-sm">
        <span>All at one scale, from the front, flat ones from above.</span>
        <span className="flex items-center gap-2"><span className="h-1.5 border-x border-b border-base-content" style={{ width: bar * scale }} /> {digits(bar)} mm</span>
        <label className="ml-auto flex items-center gap-2">
          closer
          <input type="range" className="range range-xs w-40" min={0} max={4} step={0.05} value={Math.log2(zoom)} onChange={(e) => setZoom(2 ** Number(e.target.value))} />
        </label>
      </div>
      <Trouble error={error} />
      <ul className="mt-4 flex flex-wrap items-end gap-x-8 gap-y-6">
        <li className="flex flex-col items-center pb-5" data-beside={beside.name}>
          <svg viewBox="0 0 100 100" preserveAspectRatio="none" className="fill-base-content/30" style={{ width: beside.wide * scale, height: beside.mm * scale }} aria-hidden>{beside.draw}</svg>
          <span className="mt-1 text-sm italic">{beside.name}</span>
          <span className="text-xs opacity-70">{digits(beside.mm)} mm high</span>
        </li>
        {seen.map((p) => {
          const mm = sizeOf(p)
          const unit = units.get(p.id)
          return (
            <li key={p.id} className="relative flex min-w-40 flex-col items-center pb-16" data-lined={p.id}>
              <img src={pictureOf(p, true)} alt={p.name} loading="lazy" className="h-auto max-w-none" style={{ width: Math.max(mm[0] * scale, 1) }} />
              <div className="absolute bottom-0 left-1/2 flex h-16 w-40 -translate-x-1/2 flex-col items-center">
              <span className="mt-1 flex max-w-full items-center gap-1.5 text-sm">
                <Mark outcome={outcome(p)} wordless />
                <Link to={`/parts/${p.id}`} className="link link-hover truncate">{p.name}</Link>
              </span>
              <span className="whitespace-nowrap text-xs tabular-nums opacity-70">{size(mm)}</span>
              {unit?.doubtful && (
                <span className="mt-1 flex items-center gap-1" role="group" aria-label={`unit of ${p.name}`}>
                  {unit.candidates.filter((c) => c.probability > 0.002).slice(0, 4).map((c) => (
                    <button key={c.unit} className={`btn btn-xs ${c.unit === (tried[p.id] ?? unit.chosen) ? 'btn-info' : ''}`} data-try={c.unit} title={c.evidence[0]} onClick={() => setTried({ ...tried, [p.id]: c.unit })}>
                      {c.unit}
                    </button>
                  ))}
                  <button className="btn btn-primary btn-xs" data-settle={p.id} disabled={p.state === 'waiting' || p.state === 'working'} onClick={() => post(`/parts/${p.id}/unit`, { unit: tried[p.id] ?? unit.chosen }).catch(setError)}>
                    Settle
                  </button>
                </span>
              )}
              </div>
            </li>
          )
        })}
      </ul>
    </section>
  )
}
