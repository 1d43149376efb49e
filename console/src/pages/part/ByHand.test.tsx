import { cleanup, fireEvent, render, screen, waitFor } from '@testing-library/react'
import { afterEach, describe, expect, it, vi } from 'vitest'
import type { Finding, Part, Report } from '../../shared/api'
import { ByHand } from './ByHand'

afterEach(() => {
  cleanup()
  vi.unstubAllGlobals()
})

const part = { id: 7, state: 'done' } as Part
const shell = (number: number, role: string) => ({ number, role, triangles: 12, size_mm: [1, 2, 3] as [number, number, number], volume_mm3: 6, depth: 0, inside: 0 })
const report = { verdict: 'repair', geometry: { shells: 2 }, shells: [shell(1, 'outer skin'), shell(2, 'speck')] } as unknown as Report
const finding = { kind: 'open-boundary', places: [{ at_mm: [0, 0, 0], size_mm: 1, triangles: [4, 9], triangles_total: 2, line_mm: [[1, 2.5, 3]] }], places_total: 1 } as unknown as Finding

function show() {
  const sent: unknown[] = []
  vi.stubGlobal('fetch', (path: string, init: { body: string }) => {
    sent.push([path, JSON.parse(init.body)])
    return Promise.resolve(new Response('', { status: 202 }))
  })
  const ordered = vi.fn()
  render(<ByHand part={part} shown={2} report={report} finding={finding} chosen={0} ordered={ordered} />)
  return { sent, ordered }
}

describe('steps by hand', () => {
  it('are ordered from the revision that is shown', async () => {
    const { sent, ordered } = show()
    fireEvent.click(screen.getByText('Fill this hole'))
    await waitFor(() => expect(ordered).toHaveBeenCalled())
    expect(sent).toEqual([['/api/v1/parts/7/repair', { from: 2, steps: ['fill-hole=1,2.5,3'] }]])
  })
  it('name shells and triangles by their numbers', async () => {
    const { sent, ordered } = show()
    fireEvent.click(screen.getAllByText('Drop')[1]!)
    await waitFor(() => expect(ordered).toHaveBeenCalledTimes(1))
    fireEvent.click(screen.getByText('Remove these 2 triangles'))
    await waitFor(() => expect(ordered).toHaveBeenCalledTimes(2))
    expect(sent).toEqual([
      ['/api/v1/parts/7/repair', { from: 2, steps: ['drop-shell=2'] }],
      ['/api/v1/parts/7/repair', { from: 2, steps: ['remove-triangles=4,9'] }],
    ])
  })
  it('redraw one shell, or what is around a place', async () => {
    const { sent, ordered } = show()
    fireEvent.click(screen.getAllByText('Redraw')[1]!)
    await waitFor(() => expect(ordered).toHaveBeenCalledTimes(1))
    fireEvent.click(screen.getByText('Redraw around here'))
    await waitFor(() => expect(ordered).toHaveBeenCalledTimes(2))
    expect(sent).toEqual([
      ['/api/v1/parts/7/repair', { from: 2, steps: ['recast-shell=2'] }],
      ['/api/v1/parts/7/repair', { from: 2, steps: ['recast-region=-1,-1,-1,1,1,1'] }],
    ])
  })
  it('make it lighter, in one of three ways', async () => {
    const { sent, ordered } = show()
    fireEvent.click(screen.getByText('Make lighter'))
    await waitFor(() => expect(ordered).toHaveBeenCalledTimes(1))
    fireEvent.change(screen.getByLabelText('how light'), { target: { value: 'to' } })
    fireEvent.change(screen.getByLabelText('amount'), { target: { value: '5000' } })
    fireEvent.click(screen.getByText('Make lighter'))
    await waitFor(() => expect(ordered).toHaveBeenCalledTimes(2))
    expect(sent).toEqual([
      ['/api/v1/parts/7/repair', { from: 2, steps: ['lighter-within=0.05'] }],
      ['/api/v1/parts/7/repair', { from: 2, steps: ['lighter-to=5000'] }],
    ])
  })
  it('or a method for the whole', async () => {
    const { sent, ordered } = show()
    fireEvent.change(screen.getByLabelText('method'), { target: { value: 'recast' } })
    fireEvent.click(screen.getByText('Mend'))
    await waitFor(() => expect(ordered).toHaveBeenCalled())
    expect(sent).toEqual([['/api/v1/parts/7/repair', { from: 2, method: 'recast' }]])
  })
  it('take no length that is none', () => {
    show()
    fireEvent.change(screen.getByLabelText('distance in mm'), { target: { value: 'wide' } })
    expect((screen.getByText('Weld open edges within') as HTMLButtonElement).disabled).toBe(true)
  })
})
