import type { Severity } from './api'
import { outcomes, type Outcome } from './words'

/** Mark shows an outcome by colour, letter and word together. */
export function Mark({ outcome, wordless }: { outcome: Outcome; wordless?: boolean }) {
  const o = outcomes[outcome]
  return (
    <span className="inline-flex items-center gap-2 whitespace-nowrap" data-outcome={outcome}>
      <span className={`grid size-5 place-items-center rounded-selector text-xs font-bold ${o.fill}`} aria-hidden={!wordless} title={o.label}>
        {o.letter}
      </span>
      {!wordless && <span className="font-medium">{o.label}</span>}
    </span>
  )
}

const severities: Record<Severity, { letter: string; look: string }> = {
  error: { letter: 'E', look: 'bg-error text-error-content' },
  question: { letter: '?', look: 'bg-info text-info-content' },
  warning: { letter: 'W', look: 'bg-warning text-warning-content' },
  note: { letter: 'n', look: 'bg-base-300 text-base-content' },
}

export function SeverityMark({ severity }: { severity: Severity }) {
  const s = severities[severity]
  return (
    <span className={`grid size-5 shrink-0 place-items-center rounded-full text-xs font-bold ${s.look}`} title={severity}>
      {s.letter}
    </span>
  )
}
