import type { Batch } from '../../shared/api'
import { outcomes, share, shares } from '../../shared/words'

/** Bar shows how a batch's parts came out, as lengths and in words. */
export function Bar({ counts }: { counts: Batch['counts'] }) {
  return (
    <div className="mt-3">
      <div className="flex h-2 gap-0.5 overflow-hidden rounded-full" role="img" aria-label={shares(counts).map((s) => share(s.outcome, s.n)).join(', ')}>
        {shares(counts).map((s) => (
          <div key={s.outcome} className={outcomes[s.outcome].fill} style={{ flexGrow: s.n }} />
        ))}
      </div>
      <div className="mt-2 flex flex-wrap gap-x-4 gap-y-1 text-sm">
        {shares(counts).map((s) => (
          <span key={s.outcome} className="inline-flex items-center gap-1.5">
            <span className={`grid size-4 place-items-center rounded-selector text-[10px] font-bold ${outcomes[s.outcome].fill}`}>{outcomes[s.outcome].letter}</span>
            {share(s.outcome, s.n)}
          </span>
        ))}
        {counts.waiting > 0 && <span className="ml-auto opacity-70">{Math.round(100 * counts.progress)} % done</span>}
      </div>
    </div>
  )
}
