import { QueryClient, QueryClientProvider } from '@tanstack/react-query'
import { cleanup, fireEvent, render, screen } from '@testing-library/react'
import { afterEach, describe, expect, it, vi } from 'vitest'
import type { Report } from '../../shared/api'
import { Findings } from './Findings'

afterEach(cleanup)

const place = { at_mm: [1, 2, 3] as [number, number, number], size_mm: 4, triangles: [7], triangles_total: 1 }
const report = {
  geometry: { self_intersections: 0 },
  findings: [
    { kind: 'open-boundary', severity: 'error', count: 2, summary: '2 open loops', places: [place, place], places_total: 2 },
    { kind: 'uneven-face', severity: 'note', count: 9, summary: '9 faces are not flat', places: [], places_total: 0 },
  ],
} as unknown as Report

function show(kind?: string, chosen?: number) {
  const pick = vi.fn()
  const queries = new QueryClient()
  queries.setQueryData(['kinds'], [{ name: 'open-boundary', title: 'Open boundary', severity: 'error', what: 'a rim', harm: 'leaks', action: 'filled' }])
  render(
    <QueryClientProvider client={queries}>
      <Findings report={report} kind={kind} chosen={chosen} pick={pick} />
    </QueryClientProvider>,
  )
  return pick
}

describe('findings', () => {
  it('go to the first place when picked, and nowhere when there is none', () => {
    const pick = show()
    fireEvent.click(screen.getByText('Open boundary'))
    expect(pick).toHaveBeenLastCalledWith('open-boundary', 0)
    fireEvent.click(screen.getByText('9 faces are not flat'))
    expect(pick).toHaveBeenLastCalledWith('uneven-face', undefined)
  })
  it('walk around their places and explain themselves', () => {
    const pick = show('open-boundary', 1)
    expect(screen.getByText('leaks')).toBeTruthy()
    expect(screen.getByAltText('Open boundary, before and after')).toBeTruthy()
    expect(screen.getByText('place 2 of 2')).toBeTruthy()
    fireEvent.click(screen.getByLabelText('Next place'))
    expect(pick).toHaveBeenLastCalledWith('open-boundary', 0)
    fireEvent.click(screen.getByText('Open boundary'))
    expect(pick).toHaveBeenLastCalledWith(undefined, undefined)
  })
})
