import { describe, expect, it } from 'vitest'
import type { Counts, Part } from './api'
import { area, bytes, count, digits, foundAs, outcome, plural, remaining, share, shares, size, volume, when } from './words'

describe('numbers in words', () => {
  it('keeps sensible digits', () => {
    expect([0, 0.0512, 4.7854, 37.13, 116, 1234.6].map(digits)).toEqual(['0', '0.051', '4.79', '37.1', '116', '1235'])
    expect(digits(-2.5)).toBe('-2.5')
  })
  it('always gives the unit', () => {
    expect(size([116, 116, 4.6])).toBe('116 × 116 × 4.6 mm')
    expect([50, 9_999, 44_570, 1_400_000].map(bytes)).toEqual(['50 B', '9999 B', '45 kB', '1.4 MB'])
    expect([4, 160_000].map(volume)).toEqual(['4 mm³', '160 cm³'])
    expect([5.6, 51_300].map(area)).toEqual(['5.6 mm²', '513 cm²'])
    expect(when('2026-11-23T09:07:15.25Z')).toBe('2026-11-23 09:07 UTC')
  })
  it('tells the time that is left, once it can', () => {
    expect([remaining(0.01, 60), remaining(0.5, 1), remaining(0.5, 40), remaining(0.1, 60)]).toEqual(['', '', '40 s left', '9 min left'])
  })
  it('counts one and many', () => {
    expect(count(1234567)).toBe('1\u202f234\u202f567')
    expect([plural(1, 'part'), plural(3, 'part')]).toEqual(['1 part', '3 parts'])
    expect(foundAs('non-manifold-edge', 12)).toBe('12 × non-manifold edge')
    expect(foundAs('open-boundary', 3)).toBe('3 × open boundary')
    expect([share('repair', 1), share('repair', 2)]).toEqual(['1 has errors', '2 have errors'])
  })
})

const part = (over: Partial<Part>) => ({ state: 'done', verdict: 'pass', received: 'pass', current: 0, ...over }) as Part

describe('outcomes', () => {
  it('tells what became of a part', () => {
    expect(outcome(part({}))).toBe('pass')
    expect(outcome(part({ current: 1 }))).toBe('pass')
    expect(outcome(part({ current: 1, received: 'repair' }))).toBe('repaired')
    expect(outcome(part({ current: 1, verdict: 'repair' }))).toBe('repair')
    expect(outcome(part({ verdict: 'hold' }))).toBe('hold')
    expect(outcome(part({ state: 'working', verdict: '' }))).toBe('working')
    expect(outcome(part({ state: 'failed', verdict: '' }))).toBe('failed')
  })
  it('leaves out what is zero', () => {
    const counts: Counts = { parts: 5, waiting: 0, pass: 2, repaired: 0, repair: 0, hold: 3, reject: 0, failed: 0, progress: 1 }
    expect(shares(counts)).toEqual([{ outcome: 'pass', n: 2 }, { outcome: 'hold', n: 3 }])
  })
})
