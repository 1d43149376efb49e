import { QueryClient, QueryClientProvider } from '@tanstack/react-query'
import { cleanup, fireEvent, render, screen, waitFor } from '@testing-library/react'
import { MemoryRouter, Route, Routes } from 'react-router'
import { afterEach, describe, expect, it, vi } from 'vitest'
import type { History, InsightsOf, JobRow, Part, PartReport, Person } from '../shared/api'
import { Insights, sunday } from './insights/Insights'
import { took } from './jobs/Jobs'
import { Record } from './part/Record'
import { SharedPage } from './report/SharedPage'

afterEach(() => {
  cleanup()
  vi.unstubAllGlobals()
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
  part: { name: 'bollard.stl', state: 'done', verdict: 'pass', current: 0, format: '', bytes: 739_000, has_picture: true }, process: { title: 'Cured resin' },
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

describe('insights', () => {
  it('lead from every bar to its parts', async () => {
    const data: InsightsOf = {
      since: '2026-09-07T00:00:00Z', signed_off: 2, hours_to_sign_off: 3.25,
      weeks: [{ monday: '2026-11-23', parts: 8, pass: 4, repaired: 2, repair: 0, hold: 1, reject: 1 }],
      findings: [{ kind: 'open-boundary', parts: 3, settled: 2 }],
      customers: [{ name: 'Pier & Sons', parts: 8, troubled: 3, kinds: ['open-boundary'] }],
      formats: [{ name: 'stl', parts: 8, troubled: 3 }],
    }
    serve({ '/insights?weeks=12': data, '/kinds': [{ name: 'open-boundary', title: 'Open boundary' }] })
    show(<Insights />)
    await waitFor(() => expect(screen.getByText('50 %')).toBeTruthy())
    expect(screen.getByText('25 %')).toBeTruthy()
    expect(screen.getByText('3.25')).toBeTruthy()
    expect(screen.getByTitle('1 on hold').getAttribute('href')).toBe('/search?verdict=hold&since=2026-11-23&until=2026-11-29')
    await waitFor(() => expect(screen.getAllByText('Open boundary')[0]!.getAttribute('href')).toBe('/search?finding=open-boundary&since=2026-09-07'))
    expect(screen.getByText('Pier & Sons').getAttribute('href')).toBe('/search?customer=Pier%20%26%20Sons&since=2026-09-07')
  })
  it('know the last day of a week', () => {
    expect([sunday('2026-11-23'), sunday('2026-12-28')]).toEqual(['2026-11-29', '2027-01-03'])
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
