import type { Report } from '../../shared/api'
import { area, count, plural, size, volume } from '../../shared/words'

/** Facts are the measures of the revision that is shown. */
export function Facts({ report }: { report: Report }) {
  const g = report.geometry
  const unit = report.unit
  const rows: [string, string][] = [
    ['Size', size(g.size_mm)],
    ['Unit', `${unit.chosen}${unit.declared ? ', as the file says' : ''}${unit.confidence < 0.995 ? ` (${Math.round(100 * unit.confidence)} %)` : ''}`],
    ['Surface', g.oriented ? 'closed and consistent' : g.watertight ? 'closed, triangles face both ways' : 'open'],
    ['Volume', g.volume_mm3 === null ? 'none' : volume(g.volume_mm3)],
    ['Area', area(g.area_mm2)],
    ['Mesh', `${plural(g.triangles, 'triangle')}, ${plural(g.shells, 'shell')}`],
  ]
  if (report.material) rows.push(['Material', `${report.material.grams.toPrecision(3)} g if solid, ${report.material.price.toFixed(2)}`])
  if (g.genus !== null && g.genus > 0) rows.push(['Through-holes', count(g.genus)])
  return (
    <section aria-label="Measures">
      <h2 className="sr-only">Measures</h2>
      <dl className="grid grid-cols-[7rem_1fr] gap-y-1 text-sm">
        {rows.map(([name, value]) => (
          <div key={name} className="contents">
            <dt className="opacity-60">{name}</dt>
            <dd>{value}</dd>
          </div>
        ))}
      </dl>
    </section>
  )
}
