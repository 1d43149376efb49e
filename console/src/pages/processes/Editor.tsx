import { useState } from 'react'
import { put, remove, type Process, type ProcessRow } from '../../shared/api'
import { Trouble } from '../../shared/Trouble'

/** A limit that is a number, as the form shows it: how it is told, its unit, and how to read and set it. */
interface Limit {
  label: string
  unit: string
  of: (p: Process) => number
  set: (p: Process, x: number) => Process
}

const plain = (key: { [K in keyof Process]-?: Process[K] extends number ? K : never }[keyof Process], label: string, unit: string, scale = 1): Limit => ({
  label, unit, of: (p) => p[key] / scale, set: (p, x) => ({ ...p, [key]: x * scale }),
})
const side = (k: 0 | 1 | 2, label: string): Limit => ({
  label, unit: 'mm', of: (p) => p.machine_mm[k], set: (p, x) => ({ ...p, machine_mm: p.machine_mm.map((mm, i) => (i === k ? x : mm)) as [number, number, number] }),
})
const unasked = (key: keyof Process['consent'], label: string, unit: string, scale = 1): Limit => ({
  label, unit, of: (p) => +(p.consent[key] / scale).toFixed(6), set: (p, x) => ({ ...p, consent: { ...p.consent, [key]: +(x * scale).toFixed(9) } }),
})

const groups: [string, Limit[]][] = [
  ['Machine', [side(0, 'width'), side(1, 'depth'), side(2, 'height'), plain('typical_mm', 'ordinary part', 'mm'), plain('layer_mm', 'layer', 'mm')]],
  ['Shape', [plain('wall_mm', 'thinnest wall', 'mm'), plain('detail_mm', 'finest detail', 'mm'), plain('overhang_deg', 'overhang from upright', '°'), plain('drain_mm', 'drain', 'mm')]],
  ['Material', [plain('density_g_cm3', 'density', 'g/cm³'), plain('price_per_cm3', 'price', 'a cm³')]],
  ['Slicing takes well', [plain('max_triangles', 'triangles', ''), plain('max_bytes', 'file', 'MiB', 1 << 20)]],
  ['Repairs unasked', [unasked('moved_mm', 'move up to', 'mm'), unasked('removed', 'remove', '%', 0.01), unasked('filled', 'fill', '%', 0.01), unasked('volume', 'change the volume by', '%', 0.01)]],
]

/** bare is a process without what the list tells besides. */
const bare = ({ origin: _, changed_by: __, changed_at: ___, ...p }: ProcessRow): Process => p

/** Editor changes one process, or adds one that begins as a copy of it. */
export function Editor({ row, fresh, done }: { row: ProcessRow; fresh: boolean; done: () => void }) {
  const [p, setP] = useState<Process>(() => (fresh ? { ...bare(row), name: '', title: '' } : bare(row)))
  const [error, setError] = useState<unknown>()
  const answers = Object.entries(p.policy ?? {})
  const setAnswers = (list: [string, string][]) => setP({ ...p, policy: Object.fromEntries(list) })
  return (
    <form
      className="mt-4 rounded-box border border-base-300 bg-base-100 p-4"
      aria-label={fresh ? 'a new process' : `change ${row.name}`}
      onSubmit={(e) => {
        e.preventDefault()
        setError(undefined)
        put(`/processes/${encodeURIComponent(p.name)}`, { ...p, policy: Object.fromEntries(answers.filter(([q, a]) => q && a)) }).then(done, setError)
      }}
    >
      <div className="mb-3 flex flex-wrap items-end gap-3">
        <Field label="title"><input className="input input-sm w-56" value={p.title} onChange={(e) => setP({ ...p, title: e.target.value })} /></Field>
        <Field label="name, for orders"><input className="input input-sm w-40" value={p.name} disabled={!fresh} onChange={(e) => setP({ ...p, name: e.target.value })} /></Field>
        <label className="flex items-center gap-2 text-sm leading-8">
          <input type="checkbox" className="checkbox checkbox-sm" checked={p.needs_drains} onChange={(e) => setP({ ...p, needs_drains: e.target.checked })} /> closed hollows need drains
        </label>
      </div>
      <div className="flex flex-wrap gap-x-8 gap-y-4">
        {groups.map(([title, limits]) => (
          <fieldset key={title}>
            <legend className="mb-1 text-sm font-semibold">{title}</legend>
            <div className="space-y-1">
              {limits.map((l) => (
                <label key={l.label} className="grid grid-cols-[9.5rem_6.5rem_3rem] items-center gap-2 text-sm">
                  <span className="opacity-70">{l.label}</span>
                  <input className="input input-sm tabular-nums" type="number" step="any" min="0" required aria-label={`${title}, ${l.label}`} value={Number.isFinite(l.of(p)) ? l.of(p) : ''} onChange={(e) => setP(l.set(p, e.target.valueAsNumber))} />
                  <span className="opacity-70">{l.unit}</span>
                </label>
              ))}
            </div>
          </fieldset>
        ))}
        <fieldset>
          <legend className="mb-1 text-sm font-semibold">Questions answered ahead</legend>
          <p className="mb-1 max-w-72 text-xs opacity-70">By the question's and the answer's words as a report has them, such as stray-shell and drop. Nobody is asked about these.</p>
          {[...answers, ['', ''] as [string, string]].map(([question, answer], i) => (
            <div key={i} className="mb-1 flex gap-1">
              <input className="input input-sm w-40" aria-label={`question ${i + 1}`} placeholder="question" value={question} onChange={(e) => setAnswers([...answers.slice(0, i), [e.target.value, answer], ...answers.slice(i + 1)])} />
              <input className="input input-sm w-28" aria-label={`its answer ${i + 1}`} placeholder="answer" value={answer} disabled={!question} onChange={(e) => setAnswers([...answers.slice(0, i), [question, e.target.value], ...answers.slice(i + 1)])} />
            </div>
          ))}
        </fieldset>
      </div>
      <div className="mt-4 flex gap-2">
        <button className="btn btn-primary btn-sm" id="save-process" disabled={!p.name || !p.title}>{fresh ? 'Add it' : 'Save'}</button>
        <button type="button" className="btn btn-sm" onClick={done}>Leave it</button>
        {!fresh && row.origin !== 'shipped' && (
          <button type="button" className="btn btn-sm ml-auto" onClick={() => remove(`/processes/${encodeURIComponent(row.name)}`).then(done, setError)}>
            {row.origin === 'added' ? 'Take it out' : 'Back to what it came as'}
          </button>
        )}
      </div>
      <Trouble error={error} />
    </form>
  )
}

const Field = ({ label, children }: { label: string; children: React.ReactNode }) => (
  <label className="text-sm"><span className="block opacity-70">{label}</span>{children}</label>
)
