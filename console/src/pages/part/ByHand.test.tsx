import { QueryClient, QueryClientProvider } from '@tanstack/react-query'
import { cleanup, fireEvent, render, screen, waitFor } from '@testing-library/react'
import { afterEach, beforeEach, describe, expect, it, vi } from 'vitest'
import type { Finding, Part, Report } from '../../shared/api'
import { ByHand } from './ByHand'
import { Hollow } from './Hollow'
import { Lighter } from './Lighter'
import { Mend } from './Mend'
import { Shells } from './Shells'

const sent: unknown[] = []

beforeEach(() => {
  sent.length = 0
  vi.stubGlobal('ResizeObserver', class { observe() {} unobserve() {} disconnect() {} })
  // A list that is laid out nowhere has no height, and would show no row.
  vi.spyOn(Element.prototype, 'clientHeight', 'get').mockReturnValue(600)
  vi.spyOn(Element.prototype, 'clientWidth', 'get').mockReturnValue(300)
  vi.stubGlobal('fetch', (path: string, init?: { body?: string }) => {
    if (path.endsWith('/plan')) {
      const body = JSON.parse(init!.body!) as { method?: string }
      return Promise.resolve(new Response(JSON.stringify([{ step: body.method ?? 'fill', title: 'Fill', why: '3 loops', needs: { seconds: 4.2, bytes: 64e6 }, with: { cell_mm: 0.2 } }])))
    }
    if (path.includes('/studies')) {
      return Promise.resolve(new Response(JSON.stringify({ id: 5, state: 'done', progress: 1, result: [{ name: 'even', triangles: 900, bytes: 45_000, within_mm: 0.0248, why: 'below what shows', stops_mm: [0.005, 0.025] }] })))
    }
    if (path.endsWith('/processes')) return Promise.resolve(new Response(JSON.stringify([{ name: 'resin', wall_mm: 0.5, needs_drains: true, drain_mm: 3 }])))
    sent.push([path, JSON.parse(init!.body!)])
    return Promise.resolve(new Response('', { status: 202 }))
  })
})

afterEach(() => {
  cleanup()
  vi.restoreAllMocks()
  vi.unstubAllGlobals()
})

const part = { id: 7, state: 'done' } as Part
const shell = (number: number, role: string) => ({ number, role, triangles: 12, size_mm: [1, 2, 3] as [number, number, number], volume_mm3: 6, depth: 0, inside: 0 })
const report = { verdict: 'repair', file: { sha256: 'x', bytes: 600 }, unit: { doubtful: false }, geometry: { shells: 2, triangles: 24 }, shells: [shell(1, 'outer skin'), shell(2, 'speck')] } as unknown as Report
const finding = { kind: 'open-boundary', places: [{ at_mm: [0, 0, 0], size_mm: 1, triangles: [4, 9], triangles_total: 2, line_mm: [[1, 2.5, 3]] }], places_total: 1 } as unknown as Finding

function show(page: React.ReactNode) {
  render(<QueryClientProvider client={new QueryClient()}>{page}</QueryClientProvider>)
}

describe('steps at a place', () => {
  it('fill a hole, remove triangles or redraw what is around, from the revision that is shown', async () => {
    const ordered = vi.fn()
    show(<ByHand part={part} shown={2} finding={finding} chosen={0} ordered={ordered} />)
    for (const [i, name] of ['Fill this hole', 'Remove these 2 triangles', 'Redraw around here'].entries()) {
      fireEvent.click(screen.getByText(name))
      await waitFor(() => expect(ordered).toHaveBeenCalledTimes(i + 1))
    }
    expect(sent).toEqual([
      ['/api/v1/parts/7/repair', { from: 2, steps: ['fill-hole=1,2.5,3'] }],
      ['/api/v1/parts/7/repair', { from: 2, steps: ['remove-triangles=4,9'] }],
      ['/api/v1/parts/7/repair', { from: 2, steps: ['recast-region=-1,-1,-1,1,1,1'] }],
    ])
  })
})

describe('shells', () => {
  it('are dropped, redrawn, hidden and shown by their numbers', async () => {
    const ordered = vi.fn()
    const setHidden = vi.fn()
    const setOnly = vi.fn()
    show(<Shells part={part} shown={2} report={report} hidden={new Set([1])} setHidden={setHidden} only={undefined} setOnly={setOnly} ordered={ordered} />)
    fireEvent.click(screen.getAllByText('Drop')[1]!)
    await waitFor(() => expect(ordered).toHaveBeenCalledTimes(1))
    fireEvent.click(screen.getAllByText('Redraw')[1]!)
    await waitFor(() => expect(ordered).toHaveBeenCalledTimes(2))
    expect(sent).toEqual([
      ['/api/v1/parts/7/repair', { from: 2, steps: ['drop-shell=2'] }],
      ['/api/v1/parts/7/repair', { from: 2, steps: ['recast-shell=2'] }],
    ])
    fireEvent.click(screen.getByText('Hide'))
    expect(setHidden).toHaveBeenLastCalledWith(new Set([1, 2]))
    fireEvent.click(screen.getByText('Show'))
    expect(setHidden).toHaveBeenLastCalledWith(new Set())
    fireEvent.click(screen.getAllByText('Only this')[1]!)
    expect(setOnly).toHaveBeenLastCalledWith(2)
  })
})

describe('mending the whole', () => {
  it('shows the plan with what it takes, and orders the method with its settings', async () => {
    const ordered = vi.fn()
    show(<Mend part={part} shown={2} report={report} ordered={ordered} />)
    await waitFor(() => expect(screen.getByText(/Takes about 5 s and 64\.0 MB/)).toBeTruthy())
    fireEvent.change(screen.getByLabelText('method'), { target: { value: 'recast' } })
    fireEvent.change(screen.getByLabelText('cell'), { target: { value: '0.3' } })
    fireEvent.click(screen.getByText('Mend from r2'))
    await waitFor(() => expect(ordered).toHaveBeenCalled())
    expect(sent).toEqual([['/api/v1/parts/7/repair', { from: 2, method: 'recast', recast: ['cell=0.3'] }]])
  })
  it('takes no length that is none', () => {
    show(<Mend part={part} shown={2} report={report} ordered={() => {}} />)
    fireEvent.change(screen.getByLabelText('distance in mm'), { target: { value: 'wide' } })
    expect((screen.getByText('Weld open edges within') as HTMLButtonElement).disabled).toBe(true)
  })
})

describe('making it lighter', () => {
  it('goes by a level that was looked at, stop by stop', async () => {
    const ordered = vi.fn()
    show(<Lighter part={part} shown={2} report={report} ordered={ordered} />)
    fireEvent.click(screen.getByText('Make three levels to choose from'))
    await waitFor(() => expect(screen.getByText(/900 triangles, 45 kB/)).toBeTruthy())
    fireEvent.click(screen.getByText('Take this'))
    await waitFor(() => expect(ordered).toHaveBeenCalled())
    expect(sent).toEqual([['/api/v1/parts/7/repair', { from: 2, steps: ['lighter-within=0.005,0.025'] }]])
  })
  it('or by a number', async () => {
    const ordered = vi.fn()
    show(<Lighter part={part} shown={2} report={report} ordered={ordered} />)
    fireEvent.change(screen.getByLabelText('how light'), { target: { value: 'to' } })
    fireEvent.change(screen.getByLabelText('amount'), { target: { value: '5000' } })
    fireEvent.click(screen.getByText('Make lighter'))
    await waitFor(() => expect(ordered).toHaveBeenCalled())
    expect(sent).toEqual([['/api/v1/parts/7/repair', { from: 2, steps: ['lighter-to=5000'] }]])
  })
})

describe('hollowing', () => {
  const sound = { ...report, process: 'resin', verdict: 'pass', geometry: { ...report.geometry, watertight: true, oriented: true }, material: { grams: 572.7, price: 174.31 } } as Report
  it('orders walls and drains as the process needs them, or as said', async () => {
    const ordered = vi.fn()
    show(<Hollow part={part} shown={2} report={sound} ordered={ordered} />)
    await waitFor(() => expect(screen.getByText('Hollow r2')).toBeTruthy())
    expect((screen.getByLabelText('drains of (0 for none)') as HTMLInputElement).value).toBe('3')
    expect(screen.getByText(/As it is, it takes 573 g, priced 174.31/)).toBeTruthy()
    fireEvent.change(screen.getByLabelText('walls of'), { target: { value: '0.2' } })
    expect((screen.getByText('Hollow r2') as HTMLButtonElement).disabled).toBe(true)
    fireEvent.change(screen.getByLabelText('walls of'), { target: { value: '2.5' } })
    await waitFor(() => expect(screen.getByText('Takes about 5 s and 64.0 MB of memory.')).toBeTruthy())
    fireEvent.click(screen.getByText('Hollow r2'))
    await waitFor(() => expect(ordered).toHaveBeenCalled())
    expect(sent).toEqual([['/api/v1/parts/7/repair', { from: 2, steps: ['hollow=2.5,3,2'] }]])
  })
  it('is for sound parts only', async () => {
    show(<Hollow part={part} shown={2} report={{ ...sound, geometry: { ...sound.geometry, watertight: false } } as Report} ordered={() => {}} />)
    await new Promise((done) => setTimeout(done, 20))
    expect(screen.queryByText('Hollow r2')).toBeNull()
  })
})
