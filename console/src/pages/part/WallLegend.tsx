import type { Look } from '../../viewer/scene'
import { wallTimes } from '../../viewer/viewdata'
import { digits } from '../../shared/words'

/** WallLegend says what the colours of the wall map mean, and switches between its two measures. */
export function WallLegend({ thinnest, measure, choose }: { thinnest: number; measure: Look['walls']; choose: (measure: Look['walls']) => void }) {
  return (
    <div className="absolute bottom-20 left-4 w-72 rounded-box border border-base-300 bg-base-100/90 p-3 text-sm" aria-label="Wall thickness">
      <div className="mb-2 flex items-center gap-1">
        <span className="font-medium">Wall</span>
        {(['straight', 'ball'] as const).map((m) => (
          <button key={m} className={`btn btn-xs ${measure === m ? 'btn-secondary' : 'btn-ghost'}`} aria-pressed={measure === m} onClick={() => choose(m)}>
            {m === 'straight' ? 'straight through' : 'largest ball'}
          </button>
        ))}
      </div>
      <div className="flex items-center gap-2">
        <span className="h-3 w-6 rounded-sm" style={{ background: '#d6205f' }} />
        <span>under {digits(thinnest)} mm: too thin</span>
      </div>
      <div className="mt-1 flex items-center gap-2">
        <span>{digits(thinnest)}</span>
        <span className="h-3 flex-1 rounded-sm" style={{ background: 'linear-gradient(90deg, #14323a, #e4f1ee)' }} />
        <span>{digits(wallTimes * thinnest)} mm or more</span>
      </div>
    </div>
  )
}
