import { afterEach, describe, expect, it, vi } from 'vitest'
import { Problem, sendPieces, study } from './api'

afterEach(() => vi.unstubAllGlobals())

const json = (body: unknown, status = 200) => Promise.resolve(new Response(JSON.stringify(body), { status }))

/** A service that keeps pieces, and loses the connection when it is told to. */
function service(size: number, breaks: Set<number>) {
  const state = { offset: 0, calls: 0, told: [] as number[] }
  vi.stubGlobal('fetch', async (path: string, init?: { method?: string; body?: Blob }) => {
    const up = () => ({ id: 'u', name: 'hull.stl', bytes: size, offset: state.offset })
    if (path === '/api/v1/uploads') return json(up(), 201)
    if (init?.method !== 'PATCH') return json(up())
    const at = Number(new URL('http://x' + path).searchParams.get('offset'))
    state.calls++
    if (at !== state.offset) return json({ detail: 'not there' }, 409)
    if (breaks.has(state.calls)) {
      state.offset += Math.floor(init.body!.size / 2) // half of it came through
      throw new TypeError('network')
    }
    state.offset += init.body!.size
    return json(up())
  })
  return state
}

describe('a large upload', () => {
  it('comes in pieces and goes on where the connection broke', async () => {
    const size = 30 << 20
    const state = service(size, new Set([2, 3]))
    const file = new File([new Uint8Array(size)], 'hull.stl')
    expect(await sendPieces(file, (n) => state.told.push(n), () => Promise.resolve())).toBe('u')
    expect(state.offset).toBe(size)
    expect(state.told.at(-1)).toBe(size)
    expect(state.told).toEqual([...state.told].sort((a, b) => a - b))
  })
  it('gives up when the service refuses it', async () => {
    vi.stubGlobal('fetch', (path: string) => (path === '/api/v1/uploads' ? json({ id: 'u', bytes: 5, offset: 0 }, 201) : json({ detail: 'no' }, 422)))
    await expect(sendPieces(new File(['hello'], 'a.stl'), () => {}, () => Promise.resolve())).rejects.toThrow('no')
  })
})

describe('a study', () => {
  it('is waited for, and fails with its reason', async () => {
    let asked = 0
    vi.stubGlobal('fetch', () => json(++asked < 3 ? { id: 1, state: 'running', progress: asked / 3 } : { id: 1, state: 'failed', problem: 'too large' }))
    const told: number[] = []
    await expect(study(7, { kind: 'levels', from: 0 }, (s) => told.push(s.progress))).rejects.toEqual(new Problem(500, 'too large'))
    expect(told).toHaveLength(2)
  })
})
