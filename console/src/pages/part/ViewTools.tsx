import type { ReactNode, RefObject } from 'react'
import type { Vec3 } from '../../shared/api'
import { digits } from '../../shared/words'
import type { Look, Preset, Scene } from '../../viewer/scene'
import type { CutAt } from './address'

export type Switches = Pick<Look, 'wireframe' | 'backs' | 'seeThrough' | 'paint' | 'walls' | 'onlyFinding'> & { machine: boolean }

const sides: Preset[] = ['front', 'back', 'left', 'right', 'top', 'below']

/** ViewTools is how the part is looked at: from where, as what, and cut where. */
export function ViewTools(p: {
  switches: Switches
  set: (next: Switches) => void
  scene: RefObject<Scene | undefined>
  finding: boolean
  painted: boolean
  overhang: boolean
  setOverhang: (on: boolean) => void
  measuring: boolean
  setMeasuring: (on: boolean) => void
  cut: CutAt | undefined
  setCut: (cut: CutAt | undefined) => void
  low: Vec3
  size: Vec3
}) {
  const { switches, set, cut } = p
  const axis = cut ? 'xyz'.indexOf(cut.axis) : 2
  return (
    <div className="absolute bottom-4 left-4 right-24 flex flex-col items-start gap-2">
      {cut && (
        <div className="flex items-center gap-2 rounded-box border border-base-300 bg-base-100/95 px-3 py-1.5 text-sm" aria-label="Section">
          {(['x', 'y', 'z'] as const).map((a, i) => (
            <button key={a} className={`btn btn-xs ${cut.axis === a ? 'btn-secondary' : 'btn-ghost'}`} aria-pressed={cut.axis === a} onClick={() => p.setCut({ axis: a, at: p.low[i]! + p.size[i]! / 2, flip: false })}>
              {a.toUpperCase()}
            </button>
          ))}
          <input
            type="range"
            className="range range-xs w-48"
            aria-label="where the section is, in mm"
            min={p.low[axis]}
            max={p.low[axis]! + p.size[axis]!}
            step={p.size[axis]! / 500 || 1}
            value={cut.at}
            onChange={(e) => p.setCut({ ...cut, at: Number(e.target.value) })}
          />
          <span className="w-20 text-right tabular-nums">{digits(cut.at)} mm</span>
          <button className="btn btn-ghost btn-xs" onClick={() => p.setCut({ ...cut, flip: !cut.flip })}>Other side</button>
          <button className="btn btn-ghost btn-xs" aria-label="Close the section" onClick={() => p.setCut(undefined)}>✕</button>
        </div>
      )}
      <div className="flex flex-wrap gap-x-3 gap-y-1 rounded-box border border-base-300 bg-base-100/95 p-1" role="toolbar" aria-label="View">
        <Group>
          <button className="btn btn-ghost btn-xs" title="Key f" onClick={() => p.scene.current?.fit()}>Whole part</button>
          <select className="select select-xs w-20" aria-label="look from" value="" onChange={(e) => p.scene.current?.from(e.target.value as Preset)}>
            <option value="" disabled>From …</option>
            {sides.map((s) => <option key={s}>{s}</option>)}
          </select>
        </Group>
        <Group>
          <Switch label="Wireframe" letter="w" on={switches.wireframe} set={(wireframe) => set({ ...switches, wireframe })} />
          <Switch label="Back faces" letter="b" on={switches.backs} set={(backs) => set({ ...switches, backs })} />
          <Switch label="See through" letter="t" on={switches.seeThrough} set={(seeThrough) => set({ ...switches, seeThrough })} />
          {p.painted && <Switch label="Colours" letter="k" on={switches.paint} set={(paint) => set({ ...switches, paint })} />}
          {p.finding && <Switch label="Only this" letter="o" on={switches.onlyFinding} set={(onlyFinding) => set({ ...switches, onlyFinding })} />}
        </Group>
        <Group>
          <Switch label="Walls" on={switches.walls !== 'off'} set={(on) => set({ ...switches, walls: on ? 'straight' : 'off' })} />
          <Switch label="Overhang" letter="h" on={p.overhang} set={p.setOverhang} />
        </Group>
        <Group>
          <Switch label="Section" on={cut !== undefined} set={(on) => p.setCut(on ? { axis: 'y', at: p.low[1] + p.size[1] / 2, flip: true } : undefined)} />
          <Switch label="Measure" letter="m" on={p.measuring} set={p.setMeasuring} />
          <Switch label="Machine" letter="v" on={switches.machine} set={(machine) => set({ ...switches, machine })} />
        </Group>
      </div>
    </div>
  )
}

const Group = ({ children }: { children: ReactNode }) => <div className="flex gap-0.5">{children}</div>

function Switch({ label, letter, on, set }: { label: string; letter?: string; on: boolean; set: (on: boolean) => void }) {
  return (
    <button className={`btn btn-xs ${on ? 'btn-secondary' : 'btn-ghost'}`} data-switch={label} aria-pressed={on} title={letter && `Key ${letter}`} onClick={() => set(!on)}>
      {label}
    </button>
  )
}
