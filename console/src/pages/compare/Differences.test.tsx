import { describe, expect, it } from 'vitest'
import type { Comparison, Report } from '../../shared/api'
import { kinds, rows } from './Differences'

const report = (over: object, found: [string, number][]) =>
  ({ verdict: 'pass', file: { bytes: 1_400_000 }, geometry: { size_mm: [116, 116, 114], volume_mm3: null, area_mm2: 51_000, triangles: 28446, shells: 1, ...over }, findings: found.map(([kind, count]) => ({ kind, count })) }) as unknown as Report

const found = {
  a: report({}, [['open-boundary', 3]]),
  b: report({ volume_mm3: 160_000, triangles: 28536 }, [['thin-wall', 1]]),
  hollows: [0, 1],
  through_holes: [null, 0],
} as unknown as Comparison

describe('differences', () => {
  it('name what was and what is, with units', () => {
    const all = Object.fromEntries(rows(found).map(([name, a, b]) => [name, [a, b]]))
    expect(all.Volume).toEqual(['none', '160 cm³'])
    expect(all.Size).toEqual(['116 × 116 × 114 mm', '116 × 116 × 114 mm'])
    expect(all['Through-holes']).toEqual(['unknown', '0'])
    expect(all.Hollows).toEqual(['0', '1'])
  })
  it('list kinds of either side', () => {
    expect(kinds(found)).toEqual([['open boundary', '3', '0'], ['thin wall', '0', '1']])
  })
})
