import { useState } from 'react'
import { post, type Part, type Report } from '../../shared/api'
import { Trouble } from '../../shared/Trouble'
import { size } from '../../shared/words'

/** UnitQuestion asks in which unit the file's numbers are; the part is checked again with the answer. */
export function UnitQuestion({ part, report, answered }: { part: Part; report: Report; answered: () => void }) {
  const [error, setError] = useState<unknown>()
  const [busy, setBusy] = useState(false)
  const [alike, setAlike] = useState(false)
  async function answer(unit: string) {
    setBusy(true)
    setError(undefined)
    try {
      await post(`/parts/${part.id}/unit`, { unit, alike })
      answered()
    } catch (problem) {
      setError(problem)
      setBusy(false)
    }
  }
  return (
    <section aria-label="Question" className="rounded-box border-2 border-info/60 p-3">
      <h2 className="font-semibold">In which unit are the file's numbers?</h2>
      <ul className="mt-2 space-y-1.5">
        {report.unit.candidates.filter((c) => c.probability >= 0.001).map((c) => (
          <li key={c.unit}>
            <button
              className="btn btn-sm h-auto w-full justify-start gap-3 py-1.5 text-left font-normal"
              disabled={busy || part.state === 'waiting' || part.state === 'working'}
              data-unit={c.unit}
              onClick={() => answer(c.unit)}
            >
              <span className="w-8 font-semibold">{c.unit}</span>
              <span className="flex-1">
                {size(c.size_mm)}
                <span className="block text-xs opacity-70">{c.evidence[0]}</span>
              </span>
              <span>{c.probability < 0.005 ? 'under 1' : Math.round(100 * c.probability)} %</span>
            </button>
          </li>
        ))}
      </ul>
      <label className="mt-2 flex items-center gap-2 text-sm">
        <input id="alike" type="checkbox" className="checkbox checkbox-sm" checked={alike} onChange={(e) => setAlike(e.target.checked)} />
        the same for all of the batch that are in doubt
      </label>
      <Trouble error={error} />
    </section>
  )
}
