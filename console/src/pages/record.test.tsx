import { QueryClient, QueryClientProvider } from '@tanstack/react-query'
import { cleanup, fireEvent, render, screen, waitFor } from '@testing-library/react'
import { MemoryRouter, Route, Routes } from 'react-router'
import { afterEach, describe, expect, it, vi } from 'vitest'
import type { History, InsightsOf, JobRow, Part, PartReport, Person, ProcessRow } from '../shared/api'
import { sunday } from './insights/Charts'
import { Insights } from './insights/Insights'
import { took } from './jobs/Jobs'
import { Record } from './part/Record'
import { Processes } from './processes/Processes'
import { SharedPage } from './report/SharedPage'
import { said, TrailPage } from './trail/TrailPage'

afterEach(() => {
  cleanup()
  vi.unstubAllGlobals()
  vi.restoreAllMocks()
})

/** serve answers addresses by what is kept for them, and remembers what was sent. */
function serve(kept: Record_) {
  const sent: [string, unknown][] = []
  vi.stubGlobal('fetch', (path: string, init?: { method?: string; body?: string }) => {
    if (init?.method && init.method !== 'GET') {
      sent.push([path, init.body ? JSON.parse(init.body) : undefined])
      return Promise.resolve(new Response('', { status: 202 }))
    }
    const at = Object.keys(kept).find((k) => path === `/api/v1${k}`)
    return Promise.resolve(at ? new Response(JSON.stringify(kept[at])) : new Response(JSON.stringify({ detail: 'there is no such record' }), { status: 404 }))
  })
  return sent
}
type Record_ = { [path: string]: unknown }

function show(page: React.ReactNode, at = '/', path = '/', me?: Partial<Person>) {
  const queries = new QueryClient({ defaultOptions: { queries: { retry: false } } })
  if (me) queries.setQueryData(['session'], me)
  render(
    <QueryClientProvider client={queries}>
      <MemoryRouter initialEntries={[at]}>
        <Routes><Route path={path} element={page} /></Routes>
      </MemoryRouter>
    </QueryClientProvider>,
  )
}

const part = { id: 7, state: 'done', verdict: 'pass', current: 1, signed: 'proposed', updated_at: 'now', answers: {} } as unknown as Part
const history: History = {
  notes: [{ id: 1, part_id: 7, kind: 'thin-wall', text: 'thin, but they know', created_by: 'ada', created_at: '2026-11-26T12:00:00Z' }],
  signoffs: [{ id: 1, part_id: 7, revision: 1, state: 'proposed', proposed_by: 'ada', proposed_at: '2026-11-26T12:00:00Z', decided_by: '', decided_at: null, remark: '' }],
  seen: null,
}

describe('the record of a part', () => {
  it('lets a lead approve, or send back with a remark', async () => {
    const sent = serve({ '/parts/7/history': history })
    const changed = vi.fn()
    show(<Record part={part} kinds={['thin-wall']} changed={changed} />, '/', '/', { role: 'lead' })
    await waitFor(() => expect(screen.getByText(/waits for a lead/)).toBeTruthy())
    expect((screen.getByText('Send back') as HTMLButtonElement).disabled).toBe(true)
    fireEvent.change(screen.getByLabelText('remark'), { target: { value: 'the crown is thin' } })
    fireEvent.click(screen.getByText('Send back'))
    await waitFor(() => expect(changed).toHaveBeenCalled())
    expect(sent).toEqual([['/api/v1/parts/7/decision', { approve: false, remark: 'the crown is thin' }]])
  })
  it('lets an operator write, but not decide', async () => {
    const sent = serve({ '/parts/7/history': history })
    show(<Record part={part} kinds={['thin-wall']} changed={() => {}} />, '/', '/', { role: 'operator' })
    await waitFor(() => expect(screen.getByText('thin, but they know')).toBeTruthy())
    expect(screen.getByText(/on thin wall, ada/)).toBeTruthy()
    expect(screen.queryByText('Approve')).toBeNull()
    fireEvent.change(screen.getByLabelText('note'), { target: { value: 'called them' } })
    fireEvent.change(screen.getByLabelText('about'), { target: { value: 'thin-wall' } })
    fireEvent.click(screen.getByText('Keep'))
    await waitFor(() => expect(sent).toEqual([['/api/v1/parts/7/notes', { text: 'called them', kind: 'thin-wall' }]]))
  })
  it('offers the answers that the same file had before', async () => {
    const seen = { part_id: 3, name: 'a.stl', batch_id: 1, batch_name: 'Floor pieces', created_at: '2026-05-03T10:00:00Z', current: 2, unit_set: 'in', answers: {}, verdict: 'pass' }
    const sent = serve({ '/parts/7/history': { ...history, seen } })
    show(<Record part={{ ...part, verdict: 'hold' } as Part} kinds={[]} changed={() => {}} />, '/', '/', { role: 'operator' })
    await waitFor(() => expect(screen.getByText(/The same bytes came on 2026-05-03/)).toBeTruthy())
    expect(screen.getByText(/mended as r2/)).toBeTruthy()
    fireEvent.click(screen.getByText('Answer as then'))
    await waitFor(() => expect(sent).toEqual([['/api/v1/parts/7/answers-as-before', undefined]]))
  })
})

const report = {
  customer: true, verdict: 'pass', says: 'This part prints as it was received.', batch: { name: 'Floor pieces', customer: 'Harbour Museum', created_at: '2026-11-26T12:00:00Z', created_by: '' },
  part: { name: 'bollard.stl', state: 'done', verdict: 'pass', received: 'pass', current: 0, format: '', bytes: 739_000, has_picture: true }, process: { title: 'Cured resin', wall_mm: 0.5, detail_mm: 0.1, layer_mm: 0.05 },
  received: null, now: null, done: [], answers: [], findings: [], notes: [], signoffs: [],
} as unknown as PartReport

describe('a shared report', () => {
  it('is shown with its file to whoever has the address', async () => {
    serve({ '/shared/vnl_1': report })
    show(<SharedPage />, '/shared/vnl_1', '/shared/:link')
    await waitFor(() => expect(screen.getByText('This part prints as it was received.')).toBeTruthy())
    expect((screen.getByText('Download the file') as HTMLAnchorElement).getAttribute('href')).toBe('/api/v1/shared/vnl_1/files/file')
    expect(screen.getByAltText('as received').getAttribute('src')).toBe('/api/v1/shared/vnl_1/files/picture?received=1')
  })
  it('says when the address has ended', async () => {
    serve({})
    show(<SharedPage />, '/shared/vnl_2', '/shared/:link')
    await waitFor(() => expect(screen.getByRole('alert').textContent).toContain('has ended'))
  })
})

/** sized lets charts find room, which jsdom has none of. */
function sized() {
  vi.stubGlobal('ResizeObserver', class { observe() {} unobserve() {} disconnect() {} })
  vi.spyOn(HTMLElement.prototype, 'getBoundingClientRect').mockReturnValue(new DOMRect(0, 0, 800, 240))
}

describe('insights', () => {
  it('lead from every bar to its parts', async () => {
    sized()
    const data: InsightsOf = {
      since: '2026-09-07T00:00:00Z', finding: '', signed_off: 2, hours_to_sign_off: 3.25,
      weeks: [{ monday: '2026-11-23', parts: 8, pass: 4, repaired: 2, repair: 0, hold: 1, reject: 1, signed_off: 2, hours_to_sign_off: 3.25 }],
      findings: [{ kind: 'open-boundary', parts: 3, settled: 2 }],
      customers: [{ name: 'Pier & Sons', parts: 8, troubled: 3, kinds: ['open-boundary'] }],
      formats: [{ name: 'stl', parts: 8, troubled: 3 }],
      hollowed: [{ process: 'resin', parts: 1, volume_mm3: 52_000, mass_g: 59.8, price: 18.2 }, { process: 'powder', parts: 2, volume_mm3: 10_000, mass_g: 9.5, price: 4.5 }],
    }
    serve({ '/insights?weeks=12': data, '/kinds': [{ name: 'open-boundary', title: 'Open boundary' }] })
    show(<Insights />)
    await waitFor(() => expect(screen.getByText('50 %')).toBeTruthy())
    expect(screen.getByText('25 %')).toBeTruthy()
    expect(screen.getByText('3.25')).toBeTruthy()
    expect(screen.getByText('62 cm³')).toBeTruthy()
    expect(screen.getByText('saved by hollowing, worth 22.70')).toBeTruthy()
    const to = (label: string) => screen.getByLabelText(label).getAttribute('href')
    expect(to('1 on hold, week of 2026-11-23')).toBe('/search?verdict=hold&since=2026-11-23&until=2026-11-29')
    expect(to('2 mended, week of 2026-11-23')).toBe('/search?verdict=pass&mended=yes&since=2026-11-23&until=2026-11-29')
    expect(to('3.25 hours, 2 parts signed off, week of 2026-11-23')).toBe('/search?signed=approved&since=2026-11-23&until=2026-11-29')
    await waitFor(() => expect(to('Open boundary: 3 parts')).toBe('/search?finding=open-boundary&trouble=1&since=2026-09-07'))
    const both = screen.getAllByLabelText('Pier & Sons: 3 of 8 parts').map((a) => a.getAttribute('href'))
    expect(both).toEqual(['/search?customer=Pier%20%26%20Sons&since=2026-09-07&trouble=1', '/search?customer=Pier%20%26%20Sons&since=2026-09-07'])
    expect(screen.queryByLabelText('0 errors left, week of 2026-11-23')).toBeNull()
  })
  it('are asked of the parts with one finding', async () => {
    sized()
    serve({ '/insights?weeks=4&finding=unit': { since: '2026-09-07T00:00:00Z', finding: 'unit', signed_off: 0, hours_to_sign_off: null, weeks: [{ monday: '2026-11-23', parts: 1, pass: 0, repaired: 1, repair: 0, hold: 0, reject: 0, signed_off: 0, hours_to_sign_off: null }], findings: [], customers: [], formats: [], hollowed: [] }, '/kinds': [] })
    show(<Insights />, '/?weeks=4&finding=unit')
    await waitFor(() => expect(screen.getByLabelText('1 mended, week of 2026-11-23').getAttribute('href')).toBe('/search?verdict=pass&mended=yes&since=2026-11-23&until=2026-11-29&finding=unit&trouble=1'))
  })
  it('know the last day of a week', () => {
    expect([sunday('2026-11-23'), sunday('2026-12-28')]).toEqual(['2026-11-29', '2027-01-03'])
  })
})

describe('who did what', () => {
  const line = { id: 9, at: '2026-11-26T12:00:03.5Z', person: 'lea', action: 'process changed', batch_id: null, part_id: null, hash: '', batch_name: '', part_name: '', detail: { process: 'resin', from: { wall_mm: 0.5 }, to: { wall_mm: 0.6 } } }
  it('is told in words, and asked for by whom', async () => {
    serve({ '/audit?': { lines: [line, { ...line, id: 8, person: 'ada', action: 'signed off', part_id: 7, part_name: 'fog-bell.stl', detail: { remark: '' } }], actions: ['process changed', 'signed off'] }, '/audit?person=lea': { lines: [line], actions: ['process changed', 'signed off'] }, '/audit/verify': { lines: 9, broken: 0 } })
    show(<TrailPage />, '/trail', '/trail')
    await waitFor(() => expect(screen.getByText('process resin; wall mm 0.6, was 0.5')).toBeTruthy())
    expect(screen.getByText('fog-bell.stl').getAttribute('href')).toBe('/parts/7')
    fireEvent.click(screen.getByText('Does it hold?'))
    await waitFor(() => expect(screen.getByText('All 9 lines hold.')).toBeTruthy())
    fireEvent.click(screen.getByText('lea'))
    await waitFor(() => expect(screen.queryByText('fog-bell.stl')).toBeNull())
  })
  it('tells changes, lists and plain words', () => {
    expect(said({ files: 3, customer: 'Museum', note: '' })).toBe('files 3; customer Museum')
    expect(said({ process: 'tin', from: { policy: { sheet: 'drop' } }, to: {} })).toBe('process tin; policy none, was sheet drop')
    expect(said({ from: 0, to: 1 })).toBe('from 0; to 1')
    expect(said(null)).toBe('')
    expect(said({ from: 0, steps: ['hollow=2', 'lighter-to=5000'] })).toBe('steps hollow=2, lighter-to=5000; from 0')
  })
})

const resin: ProcessRow = {
  name: 'resin', title: 'Cured resin', machine_mm: [192, 120, 245], typical_mm: 75, wall_mm: 0.5, detail_mm: 0.1, layer_mm: 0.05, overhang_deg: 60, density_g_cm3: 1.15, price_per_cm3: 0.35,
  max_triangles: 2_000_000, max_bytes: 100 << 20, needs_drains: true, drain_mm: 3, consent: { moved_mm: 0.02, removed: 0.05, filled: 0.5, volume: 0.1 }, origin: 'shipped', changed_by: '', changed_at: null,
}

describe('processes', () => {
  it('are changed by leads, limit by limit', async () => {
    const sent = serve({ '/processes': [resin], '/session': { role: 'lead' } })
    show(<Processes />)
    await waitFor(() => expect(screen.getByText('Change')).toBeTruthy())
    fireEvent.click(screen.getByText('Change'))
    fireEvent.change(screen.getByLabelText('Shape, thinnest wall'), { target: { value: '0.6' } })
    fireEvent.change(screen.getByLabelText('Slicing takes well, file'), { target: { value: '80' } })
    fireEvent.change(screen.getByLabelText('Repairs unasked, remove'), { target: { value: '7' } })
    fireEvent.change(screen.getByLabelText('question 1'), { target: { value: 'stray-shell' } })
    fireEvent.change(screen.getByLabelText('its answer 1'), { target: { value: 'drop' } })
    fireEvent.click(screen.getByText('Save'))
    const { origin: _, changed_by: __, changed_at: ___, ...plain } = resin
    await waitFor(() => expect(sent).toEqual([['/api/v1/processes/resin', { ...plain, wall_mm: 0.6, max_bytes: 80 << 20, consent: { ...resin.consent, removed: 0.07 }, policy: { 'stray-shell': 'drop' } }]]))
    await waitFor(() => expect(screen.queryByText('Save')).toBeNull())
  })
  it('are added as copies, and shown to operators only', async () => {
    const sent = serve({ '/processes': [{ ...resin, origin: 'changed', changed_by: 'lea', changed_at: '2026-11-26T12:00:00Z' }], '/session': { role: 'lead' } })
    show(<Processes />)
    await waitFor(() => expect(screen.getByText('changed by lea, 2026-11-26')).toBeTruthy())
    fireEvent.click(screen.getByText('Add one like it'))
    fireEvent.change(screen.getByLabelText('title'), { target: { value: 'Tough resin' } })
    fireEvent.change(screen.getByLabelText('name, for orders'), { target: { value: 'tough' } })
    fireEvent.click(screen.getByText('Add it'))
    await waitFor(() => expect(sent[0]![0]).toBe('/api/v1/processes/tough'))
    await waitFor(() => fireEvent.click(screen.getByText('Change')))
    fireEvent.click(screen.getByText('Back to what it came as'))
    await waitFor(() => expect(sent[1]).toEqual(['/api/v1/processes/resin', undefined]))
    cleanup()
    serve({ '/processes': [resin], '/session': { role: 'operator' } })
    show(<Processes />)
    await waitFor(() => expect(screen.getByText('Cured resin')).toBeTruthy())
    expect(screen.queryByText('Change')).toBeNull()
  })
})

describe('jobs', () => {
  it('tell how long they took, or have taken', () => {
    const job = (started_at: string | null, finished_at: string | null) => ({ started_at, finished_at }) as JobRow
    const now = Date.parse('2026-11-26T12:10:00Z')
    expect(took(job(null, null), now)).toBe('')
    expect(took(job('2026-11-26T12:00:00Z', '2026-11-26T12:00:02.5Z'), now)).toBe('2.5 s')
    expect(took(job('2026-11-26T12:09:00Z', null), now)).toBe('60 s')
    expect(took(job('2026-11-26T12:00:00Z', null), now)).toBe('10 min')
  })
})
