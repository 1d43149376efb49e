// Numbers and records in words, with sensible digits and always with the unit.
import type { Counts, Part, Person, Vec3, Verdict } from './api'

export const count = (n: number) => n.toLocaleString('en').replaceAll(',', '\u202f')

/** digits keeps about three or four significant digits and no exponent. */
export function digits(x: number): string {
  const size = Math.abs(x)
  if (size === 0) return '0'
  const places = size >= 100 ? 0 : size >= 10 ? 1 : size >= 1 ? 2 : 3
  return x.toFixed(places).replace(/(\.\d*?)0+$/, '$1').replace(/\.$/, '')
}

export const size = (mm: Vec3) => `${digits(mm[0])} × ${digits(mm[1])} × ${digits(mm[2])} mm`

/** volume in mm³ or cm³, whichever reads better. */
export const volume = (mm3: number) => (Math.abs(mm3) < 100 ? `${digits(mm3)} mm³` : `${digits(mm3 / 1000)} cm³`)

/** area in mm² or cm². */
export const area = (mm2: number) => (mm2 < 10 ? `${digits(mm2)} mm²` : `${digits(mm2 / 100)} cm²`)

export function bytes(n: number): string {
  if (n < 10_000) return `${n} B`
  return n < 1_000_000 ? `${Math.round(n / 1e3)} kB` : `${(n / 1e6).toFixed(1)} MB`
}

/** remaining is how long work may still take that is so far after so many seconds, "" while nobody can tell. */
export function remaining(done: number, seconds: number): string {
  if (!(done > 0.02) || seconds < 2) return ''
  const more = Math.ceil((seconds * (1 - done)) / done)
  return more < 90 ? `${more} s left` : `${Math.ceil(more / 60)} min left`
}

/** needs says what work will take before it begins; no memory when that is little. */
export const needs = (seconds: number, memory: number) => `Takes about ${seconds < 1 ? 'a second' : `${digits(Math.ceil(seconds))} s`}${memory > 0 ? ` and ${bytes(memory)} of memory` : ''}.`

/** leads reports whether somebody may sign off and change processes. */
export const leads = (p: Pick<Person, 'role'> | undefined) => p?.role === 'lead' || p?.role === 'administrator'

export const plural = (n: number, one: string, many = one + 's') => `${count(n)} ${n === 1 ? one : many}`

export function when(iso: string): string {
  return iso.slice(0, 16).replace('T', ' ') + ' UTC'
}

export type Outcome = 'working' | 'pass' | 'repaired' | 'repair' | 'hold' | 'reject' | 'failed'

/** outcome is what became of a part, in one word. */
export function outcome(part: Part): Outcome {
  if (part.state === 'waiting' || part.state === 'working') return 'working'
  if (part.state === 'failed' || part.verdict === '') return 'failed'
  return part.verdict === 'pass' && part.received !== 'pass' ? 'repaired' : (part.verdict as Exclude<Verdict, ''>)
}

export const outcomes: Record<Outcome, { letter: string; label: string; many: string; fill: string }> = {
  pass: { letter: 'P', label: 'passes', many: 'pass', fill: 'bg-success text-success-content' },
  repaired: { letter: 'M', label: 'mended', many: 'mended', fill: 'bg-secondary text-secondary-content' },
  repair: { letter: 'E', label: 'has errors', many: 'have errors', fill: 'bg-warning text-warning-content' },
  hold: { letter: '?', label: 'on hold', many: 'on hold', fill: 'bg-info text-info-content' },
  reject: { letter: '×', label: 'rejected', many: 'rejected', fill: 'bg-error text-error-content' },
  failed: { letter: '!', label: 'failed', many: 'failed', fill: 'bg-neutral text-neutral-content' },
  working: { letter: '…', label: 'at work', many: 'at work', fill: 'bg-base-300 text-base-content' },
}

/** shares splits a batch's counts into outcomes, in reading order, without the empty ones. */
export function shares(c: Counts): { outcome: Outcome; n: number }[] {
  const all: [Outcome, number][] = [
    ['pass', c.pass], ['repaired', c.repaired], ['repair', c.repair], ['hold', c.hold],
    ['reject', c.reject], ['failed', c.failed], ['working', c.waiting],
  ]
  return all.filter(([, n]) => n > 0).map(([outcome, n]) => ({ outcome, n }))
}

/** foundAs is "3 × open boundary". */
export const foundAs = (kind: string, n: number) => `${count(n)} × ${kind.replaceAll('-', ' ').replace('non manifold', 'non-manifold').replace('inside out', 'inside-out')}`

/** share is "2 have errors". */
export const share = (outcome: Outcome, n: number) => `${n} ${n === 1 ? outcomes[outcome].label : outcomes[outcome].many}`
