import { Link } from 'react-router'
import { pictureOf, type Part } from '../../shared/api'
import { Mark } from '../../shared/Mark'
import { outcome, size } from '../../shared/words'
import { toggled } from './choose'

/** Pictures shows parts by what they look like. */
export function Pictures({ parts, picked, setPicked }: { parts: Part[]; picked: ReadonlySet<number>; setPicked: (next: ReadonlySet<number>) => void }) {
  return (
    <ul className="mt-3 grid grid-cols-[repeat(auto-fill,minmax(13rem,1fr))] gap-3" aria-label="Parts">
      {parts.map((p) => (
        <li key={p.id} className={`relative rounded-box border bg-base-100 p-3 [content-visibility:auto] [contain-intrinsic-size:13rem] ${picked.has(p.id) ? 'border-secondary' : 'border-base-300'}`} data-part={p.id}>
          <input type="checkbox" className="checkbox checkbox-sm absolute left-3 top-3" aria-label={`choose ${p.name}`} checked={picked.has(p.id)} onChange={() => setPicked(toggled(picked, p.id))} />
          <Link to={`/parts/${p.id}`} className="block">
            <div className="grid h-32 place-items-center">
              {p.has_picture ? <img src={pictureOf(p)} alt="" className="max-h-32" loading="lazy" /> : <span className="text-4xl opacity-30" aria-hidden>×</span>}
            </div>
            <div className="mt-1 truncate font-medium" title={p.name}>{p.name}</div>
            <div className="flex flex-wrap items-center justify-between gap-x-2 text-sm">
              <Mark outcome={outcome(p)} />
              <span className="whitespace-nowrap text-xs tabular-nums opacity-70">{p.triangles > 0 && size(p.size_mm)}</span>
            </div>
          </Link>
        </li>
      ))}
    </ul>
  )
}
