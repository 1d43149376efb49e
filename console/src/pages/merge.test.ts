import { describe, expect, it } from 'vitest'
import type { Batch, BatchWithParts, Part } from '../shared/api'
import { mergeParts } from './batch/BatchPage'
import { merge } from './batches/Batches'

describe('live changes', () => {
  it('put changed batches over known ones, newest first', () => {
    const old = [{ id: 2, name: 'b' }, { id: 1, name: 'a' }] as Batch[]
    expect(merge(old, [{ id: 1, name: 'A' }, { id: 3, name: 'c' }] as Batch[]).map((b) => b.name)).toEqual(['c', 'b', 'A'])
  })
  it('put changed parts over known ones, in order', () => {
    const old = { batch: { id: 1 }, parts: [{ id: 1, verdict: '' }, { id: 2, verdict: '' }] } as unknown as BatchWithParts
    const now = { batch: { id: 1, name: 'x' }, parts: [{ id: 2, verdict: 'pass' } as Part] } as unknown as BatchWithParts
    const merged = mergeParts(old, now)
    expect(merged.batch.name).toBe('x')
    expect(merged.parts.map((p) => p.verdict)).toEqual(['', 'pass'])
    expect(mergeParts(undefined, now).parts).toHaveLength(1)
  })
})
