import { describe, expect, it } from 'vitest'
import type { Part } from '../../shared/api'
import { choose, kindsOf, toggled } from './choose'
import { scaleFor } from './LineUp'

const part = (id: number, name: string, verdict: string, longest: number, kinds: string[] = []) =>
  ({ id, name, verdict, received: verdict, state: 'done', current: 0, size_mm: [longest, 1, 1], triangles: longest * 10, findings: kinds.map((kind) => ({ kind })) }) as unknown as Part
const parts = [part(1, 'buoy.stl', 'pass', 80), part(2, 'bell 10.stl', 'hold', 900, ['unit']), part(3, 'bell 9.stl', 'repair', 12, ['open-boundary'])]
const ids = (list: Part[]) => list.map((p) => p.id)
const any = { outcome: undefined, kind: undefined, text: '' }

describe('a batch', () => {
  it('is filtered by outcome, finding and name together', () => {
    expect(ids(choose(parts, { ...any, outcome: 'hold' }, 'came'))).toEqual([2])
    expect(ids(choose(parts, { ...any, kind: 'open-boundary' }, 'came'))).toEqual([3])
    expect(ids(choose(parts, { ...any, text: ' BELL' }, 'came'))).toEqual([2, 3])
    expect(ids(choose(parts, { outcome: 'pass', kind: 'unit', text: '' }, 'came'))).toEqual([])
    expect(kindsOf(parts)).toEqual(['open-boundary', 'unit'])
  })
  it('is put in order', () => {
    expect(ids(choose(parts, any, 'name'))).toEqual([3, 2, 1])
    expect(ids(choose(parts, any, 'verdict'))).toEqual([2, 3, 1])
    expect(ids(choose(parts, any, 'size'))).toEqual([2, 1, 3])
    expect(ids(choose(parts, any, 'triangles'))).toEqual([2, 1, 3])
  })
  it('is chosen from, one by one', () => {
    expect(toggled(new Set([1]), 2)).toEqual(new Set([1, 2]))
    expect(toggled(new Set([1, 2]), 1)).toEqual(new Set([2]))
  })
})

describe('the line-up', () => {
  it('stands beside something of about its size', () => {
    expect(scaleFor([[20, 20, 20]]).beside.name).toBe('a shirt button')
    expect(scaleFor([[120, 80, 150]]).beside.name).toBe('a teacup')
    expect(scaleFor([[120, 80, 3000]]).beside.name).toBe('a door')
  })
  it('has one scale, which a part in a wrong unit changes for all', () => {
    const { scale } = scaleFor([[50, 50, 50], [60, 60, 100]])
    expect(scaleFor([[50, 50, 50], [1524, 1524, 2540]]).scale).toBeCloseTo(scale / 25.4)
    expect(scaleFor([[60, 60, 100]], 2).scale).toBeCloseTo(2 * scale)
  })
})
