import type { ReactNode } from 'react'
import { digits } from '../../shared/words'
import type { Hit, Look } from '../../viewer/scene'
import { wallTimes } from '../../viewer/viewdata'

/** Legend says what the colours of a map mean, and what was measured. */
export function Legend({ look, hits, choose }: { look: Look; hits: Hit[] | undefined; choose: (measure: Look['walls']) => void }) {
  return (
    <div className="absolute left-4 top-20 flex w-72 flex-col gap-2">
      {look.walls !== 'off' && <Walls thinnest={look.thinnest} measure={look.walls} choose={choose} />}
      {look.map.kind === 'overhang' && (
        <Box label="Overhang">
          <Swatch colour="repeating-linear-gradient(135deg, #d5465a 0 4px, #be1f5a 4px 8px)">steeper than {digits(look.map.steepest)}° from upright, facing down</Swatch>
          <Swatch colour="#e4f1ee">stands by itself</Swatch>
          {look.map.steepest >= 90 && <p className="mt-1 opacity-70">This process needs no support.</p>}
        </Box>
      )}
      {hits && <Measured hits={hits} />}
    </div>
  )
}

function Box({ label, children }: { label: string; children: ReactNode }) {
  return (
    <div className="rounded-box border border-base-300 bg-base-100/95 p-3 text-sm" aria-label={label}>
      {children}
    </div>
  )
}

const Swatch = ({ colour, children }: { colour: string; children: ReactNode }) => (
  <div className="mt-1 flex items-center gap-2">
    <span className="h-3 w-6 shrink-0 rounded-sm" style={{ background: colour }} />
    <span>{children}</span>
  </div>
)

/** Walls switches between the two measures of a wall. */
function Walls({ thinnest, measure, choose }: { thinnest: number; measure: Look['walls']; choose: (measure: Look['walls']) => void }) {
  return (
    <Box label="Wall thickness">
      <div className="mb-2 flex items-center gap-1">
        <span className="font-medium">Wall</span>
        {(['straight', 'ball'] as const).map((m) => (
          <button key={m} className={`btn btn-xs ${measure === m ? 'btn-secondary' : 'btn-ghost'}`} aria-pressed={measure === m} onClick={() => choose(m)}>
            {m === 'straight' ? 'straight through' : 'largest ball'}
          </button>
        ))}
      </div>
      <Swatch colour="#d6205f">under {digits(thinnest)} mm: too thin</Swatch>
      <div className="mt-1 flex items-center gap-2">
        <span>{digits(thinnest)}</span>
        <span className="h-3 flex-1 rounded-sm" style={{ background: 'linear-gradient(90deg, #14323a, #e4f1ee)' }} />
        <span>{digits(wallTimes * thinnest)} mm or more</span>
      </div>
    </Box>
  )
}

/** Measured tells of the last point, and of the distance between two. */
function Measured({ hits }: { hits: Hit[] }) {
  const [a, b] = hits
  const last = b ?? a
  return (
    <Box label="Measured">
      {!last && <p>Click a point of the part; a second one gives the distance.</p>}
      {last && (
        <dl className="grid grid-cols-[6rem_1fr] gap-y-1 tabular-nums">
          {a && b && (
            <>
              <dt className="opacity-60">Distance</dt>
              <dd className="font-semibold" data-distance>{digits(Math.hypot(...a.at.map((x, i) => x - b.at[i]!)))} mm</dd>
              <dt className="opacity-60">along x, y, z</dt>
              <dd>{a.at.map((x, i) => digits(Math.abs(x - b.at[i]!))).join(', ')} mm</dd>
            </>
          )}
          <dt className="opacity-60">Point</dt>
          <dd>{last.at.map(digits).join(', ')} mm</dd>
          <dt className="opacity-60">Wall here</dt>
          <dd data-wall>{last.wall === undefined ? 'open' : `${digits(last.wall)} mm`}</dd>
          <dt className="opacity-60">Nearest edge</dt>
          <dd>{digits(last.edge)} mm long</dd>
        </dl>
      )}
    </Box>
  )
}
