import { describe, expect, it } from 'vitest'
import type { Batch, BatchWithParts, Part } from '../shared/api'
import { mergeParts } from './batch/BatchPage'
import { grouped, merge } from './batches/Batches'

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
  it('put what waits for a person first', () => {
    const b = (id: number, counts: object) => ({ id, counts: { hold: 0, failed: 0, waiting: 0, ...counts } }) as unknown as Batch
    const groups = grouped([b(4, { hold: 1, waiting: 2 }), b(3, { waiting: 1 }), b(2, {}), b(1, { failed: 1 })])
    expect(groups.map(([title, list]) => [title, list.map((x) => x.id)])).toEqual([['Waiting for you', [4, 1]], ['At work', [3]], ['Done', [2]]])
  })
})
