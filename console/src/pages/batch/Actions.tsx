import { useState } from 'react'
import { address, onParts, type Batch, type Part } from '../../shared/api'
import { Trouble } from '../../shared/Trouble'
import { plural } from '../../shared/words'

/** Actions is what can be done to many parts at once: those that are chosen, or with none chosen, all that call for it. */
export function Actions({ batch, chosen, clear, all }: { batch: Batch; chosen: Part[]; clear: () => void; all: () => void }) {
  const [error, setError] = useState<unknown>()
  const [said, setSaid] = useState('')
  const [above, setAbove] = useState('500000')
  const ids = chosen.map((p) => p.id)
  const do_ = (what: 'repair' | 'lighten' | 'unit', body: object, words: (n: number) => string) => {
    setError(undefined)
    onParts(batch.id, what, body).then((n) => setSaid(words(n)), setError)
  }
  if (chosen.length === 0) {
    return (
      <div className="ml-auto flex items-center gap-2">
        {batch.counts.repair > 0 && (
          <button id="mend-all" className="btn btn-secondary btn-sm" disabled={batch.counts.waiting > 0} onClick={() => do_('repair', {}, (n) => `${plural(n, 'part')} will be mended`)}>
            Mend {plural(batch.counts.repair, 'part')}
          </button>
        )}
        <button className="btn btn-ghost btn-sm" onClick={all} title="Key a">Choose all</button>
        <span className="opacity-70" role="status">{said}</span>
        <Trouble error={error} />
      </div>
    )
  }
  return (
    <div className="flex w-full flex-wrap items-center gap-2 rounded-box border border-secondary bg-base-100 px-3 py-2" role="toolbar" aria-label="With the chosen parts">
      <strong>{plural(chosen.length, 'part')} chosen</strong>
      <button className="btn btn-sm" data-act="mend" onClick={() => do_('repair', { parts: ids }, (n) => `${plural(n, 'part')} will be mended; the others need none, or wait for an answer`)}>Mend</button>
      <span className="join">
        <button className="btn join-item btn-sm" data-act="lighten" disabled={!(Number(above) >= 4)} onClick={() => do_('lighten', { parts: ids, above: Number(above) }, (n) => `${plural(n, 'part')} will become lighter`)}>Lighten to</button>
        <input className="input join-item input-sm w-24" aria-label="triangles" value={above} onChange={(e) => setAbove(e.target.value)} />
        <span className="join-item border border-base-300 px-2 leading-8">triangles</span>
      </span>
      <select className="select select-sm w-36" aria-label="unit" value="" onChange={(e) => do_('unit', { parts: ids, unit: e.target.value }, (n) => `${plural(n, 'part')} will be looked at again`)}>
        <option value="" disabled>Set the unit …</option>
        {['mm', 'cm', 'in', 'm', 'ft'].map((u) => <option key={u}>{u}</option>)}
      </select>
      <a className="btn btn-sm" data-act="download" href={address(`/batches/${batch.id}/export?parts=${ids.join(',')}`)} download>Download</a>
      <button className="btn btn-ghost btn-sm" onClick={clear}>None</button>
      <span className="opacity-70" role="status">{said}</span>
      <Trouble error={error} />
    </div>
  )
}
