import { useState } from 'react'
import { address, post, type Part, type Question, type Report } from '../../shared/api'
import { Trouble } from '../../shared/Trouble'
import { useKeys } from '../../shared/keys'
import { size } from '../../shared/words'

/** Questions asks what only a person can decide; the part is checked again with the answer. */
export function Questions({ part, revision, report, answered }: { part: Part; revision: number; report: Report; answered: () => void }) {
  return report.questions.map((q, i) => <OneQuestion key={q.id} keyed={i === 0} part={part} revision={revision} report={report} question={q} answered={answered} />)
}

function OneQuestion({ part, revision, report, question, answered, keyed }: { keyed: boolean; part: Part; revision: number; report: Report; question: Question; answered: () => void }) {
  const [error, setError] = useState<unknown>()
  const [busy, setBusy] = useState(false)
  const [alike, setAlike] = useState(false)
  async function answer(choice: string) {
    setBusy(true)
    setError(undefined)
    try {
      await post(`/parts/${part.id}/answers`, { question: question.id, answer: choice, alike })
      answered()
    } catch (problem) {
      setError(problem)
      setBusy(false)
    }
  }
  const choices =
    question.id === 'unit'
      ? report.unit.candidates
          .filter((c) => question.choices.some((choice) => choice.answer === c.unit))
          .map((c) => ({ answer: c.unit, effect: size(c.size_mm), why: c.evidence[0], share: c.probability, picture: undefined }))
      : question.choices.map((c) => ({ ...c, why: c.answer === question.default ? 'the default' : undefined, share: undefined }))
  const busyPart = busy || part.state === 'waiting' || part.state === 'working'
  useKeys(keyed && !busyPart ? Object.fromEntries([...choices.map((c, i) => [String(i + 1), () => answer(c.answer)]), ['a', () => setAlike((on) => !on)]]) : {})
  return (
    <section aria-label="Question" className="rounded-box border-2 border-info/60 p-3">
      <h2 className="font-semibold">{question.text}</h2>
      {question.id !== 'unit' && question.evidence.map((e) => <p key={e} className="mt-1 text-sm opacity-80">{e}</p>)}
      <ul className="mt-2 space-y-1.5">
        {choices.map((c, i) => (
          <li key={c.answer}>
            <button
              className="btn btn-sm h-auto w-full justify-start gap-3 py-1.5 text-left font-normal"
              disabled={busyPart}
              data-answer={c.answer}
              onClick={() => answer(c.answer)}
            >
              {keyed && <kbd className="kbd kbd-sm">{i + 1}</kbd>}
              <span className="min-w-8 font-semibold">{c.answer}</span>
              {c.picture && (
                <img src={address(`/parts/${part.id}/revisions/${revision}/outcomes/${question.id}/${c.answer}`)} alt={`the part, if the answer is ${c.answer}`} className="h-16 w-21 rounded" />
              )}
              <span className="flex-1">
                {c.effect}
                {c.why && <span className="block text-xs opacity-70">{c.why}</span>}
              </span>
              {c.share !== undefined && <span>{c.share < 0.005 ? 'under 1' : Math.round(100 * c.share)} %</span>}
            </button>
          </li>
        ))}
      </ul>
      <label className="mt-2 flex items-center gap-2 text-sm">
        <input type="checkbox" className="checkbox checkbox-sm" data-alike={question.id} checked={alike} onChange={(e) => setAlike(e.target.checked)} />
        the same for all of the batch with this question
      </label>
      {question.id === 'unit' && <StatedSize part={part} answered={answered} />}
      <Trouble error={error} />
    </section>
  )
}

/** StatedSize takes the size that the customer stated, which may settle the unit. */
function StatedSize({ part, answered }: { part: Part; answered: () => void }) {
  const [stated, setStated] = useState(part.expect ?? '')
  const [error, setError] = useState<unknown>()
  return (
    <form
      className="mt-3 border-t border-base-300 pt-3"
      onSubmit={(e) => {
        e.preventDefault()
        setError(undefined)
        post(`/parts/${part.id}/expect`, { size: stated }).then(answered, setError)
      }}
    >
      <label className="block text-sm">
        Or the size that the customer stated
        <span className="mt-1 flex gap-2">
          <input id="expect" className="input input-sm flex-1" placeholder="120x80x40mm" value={stated} onChange={(e) => setStated(e.target.value)} />
          <button className="btn btn-sm" disabled={!stated.trim()}>Look again</button>
        </span>
      </label>
      <Trouble error={error} />
    </form>
  )
}
