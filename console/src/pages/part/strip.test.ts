import { describe, expect, it } from 'vitest'
import type { Report } from '../../shared/api'
import { readCut, writeCut } from './address'
import { bands } from './LayerStrip'

const report = {
  findings: [
    { kind: 'open-boundary', severity: 'error', places: [{ at_mm: [0, 0, 5], size_mm: 4, line_mm: [[0, 0, 4], [1, 0, 7]] }] },
    { kind: 'sliver', severity: 'note', places: [{ at_mm: [0, 0, 10], size_mm: 2 }] },
  ],
} as unknown as Report

describe('the layer strip', () => {
  it('has a band where each finding lies, by its line or its size', () => {
    expect(bands(report, 0, 10)).toEqual([
      { from: 0.4, to: 0.7, severity: 'error', kind: 'open-boundary' },
      { from: 0.9, to: 1, severity: 'note', kind: 'sliver' },
    ])
    expect(bands(report, 0, 10, 'sliver')).toHaveLength(1)
  })
})

describe('a cut in the address', () => {
  it('comes back as it went', () => {
    for (const cut of [{ axis: 'z' as const, at: 12.5, flip: false }, { axis: 'x' as const, at: -3, flip: true }]) expect(readCut(writeCut(cut))).toEqual(cut)
    for (const text of [null, '', 'q3', 'z', 'z1e9', 'z1;x']) expect(readCut(text)).toBeUndefined()
  })
})
