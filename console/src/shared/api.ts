// How to ask the service. The types of what it answers are made from its description.
import type { Ask, Batch, Begun, CheckFinding, Estimate, Finding as FindingOf, Geometry, Insights, Part, Report, ReportPart, ShellRow, Step, Study, Upload } from './api.gen'

export type {
  Batch, BatchWithParts, Comparison, Counts, Found, History, JobRow, Kind, Hook, LayerPair, Level, Link as SharedLink, NewHook, NewLink, NewToken, Part, PartWithRevisions, Person, Place, Process, ProcessRow, Report, Revision, Study, Token, Trail, TrailLine,
} from './api.gen'
export type FindingRow = FindingOf
export type PartReport = ReportPart
export type InsightsOf = Insights
export type Finding = CheckFinding
export type Question = Ask
export type RepairStep = Step
export type Shell = ShellRow
export type UnitEstimate = Estimate
export type Measures = Geometry
export type Verdict = Report['verdict'] | ''
export type Severity = CheckFinding['severity']
export type Vec3 = [number, number, number]

/** Problem is an error that the service answered with; its message is for people. */
export class Problem extends Error {
  constructor(
    readonly status: number,
    detail: string,
  ) {
    super(detail)
  }
}

const root = '/api/v1'

async function ask(path: string, init?: RequestInit): Promise<Response> {
  let answer: Response
  try {
    answer = await fetch(root + path, init)
  } catch {
    throw new Problem(0, 'The service does not answer. Is it running?')
  }
  if (!answer.ok) {
    const problem = (await answer.json().catch(() => null)) as { detail?: string } | null
    throw new Problem(answer.status, problem?.detail ?? answer.statusText)
  }
  return answer
}

export async function get<T>(path: string): Promise<T> {
  return (await ask(path)).json() as Promise<T>
}

export async function getBytes(path: string): Promise<ArrayBuffer> {
  return (await ask(path)).arrayBuffer()
}

export const post = <T,>(path: string, body?: unknown) => send<T>('POST', path, body)
export const put = (path: string, body: unknown) => send('PUT', path, body)

async function send<T>(method: string, path: string, body?: unknown): Promise<T | undefined> {
  const answer = await ask(path, {
    method,
    headers: body === undefined ? {} : { 'Content-Type': 'application/json' },
    body: body === undefined ? undefined : JSON.stringify(body),
  })
  const text = await answer.text()
  return text ? (JSON.parse(text) as T) : undefined
}

export async function remove(path: string): Promise<void> {
  await ask(path, { method: 'DELETE' })
}

export const signOut = () => remove('/session')

/** onParts has something done to parts of a batch, and tells for how many it was of use. */
export const onParts = async (batch: number, what: 'repair' | 'lighten' | 'unit', body: object): Promise<number> => (await post<Begun>(`/batches/${batch}/${what}`, body))?.parts ?? 0

export const revisionPath = (part: number, number: number, thing: 'file' | 'picture' | 'view' | 'report') =>
  `/parts/${part}/revisions/${number}/${thing}`

/** pictureOf is the address of a part's newest picture; it changes whenever the picture may. */
export const pictureOf = (part: Part, front?: boolean) =>
  address(revisionPath(part.id, part.current, 'picture')) + `?v=${part.current}${part.unit_set ?? ''}${part.verdict}${front ? '&front=1' : ''}`

export const address = (path: string) => root + path

const wait = (ms: number) => new Promise((done) => setTimeout(done, ms))

/** study has something worked out, told how far it is, and returns what came of it. */
export async function study(part: number, order: { kind: Study['kind']; from: number; to?: number }, told?: (s: Study) => void, gone?: () => boolean): Promise<Study> {
  let s = (await post<Study>(`/parts/${part}/studies`, order))!
  while (s.state === 'queued' || s.state === 'running') {
    told?.(s)
    await wait(400)
    if (gone?.()) break
    s = await get<Study>(`/parts/${part}/studies/${s.id}`)
  }
  if (s.state === 'failed') throw new Problem(500, s.problem ?? 'It failed.')
  return s
}

/** What comes in pieces, and how large the pieces are. */
export const large = 100e6
const piece = 8 << 20

/**
 * sendPieces uploads a large file piece by piece. When the connection breaks it asks
 * how far the file is and goes on from there.
 */
export async function sendPieces(file: File, told: (bytes: number) => void, pause = wait): Promise<string> {
  let up = (await post<Upload>('/uploads', { name: file.name, bytes: file.size }))!
  for (let failures = 0; up.offset < file.size; ) {
    try {
      const body = file.slice(up.offset, up.offset + piece)
      up = (await (await ask(`/uploads/${up.id}?offset=${up.offset}`, { method: 'PATCH', headers: { 'Content-Type': 'application/octet-stream' }, body })).json()) as Upload
      failures = 0
    } catch (problem) {
      if (++failures > 30 || (problem instanceof Problem && problem.status >= 400 && problem.status < 500 && problem.status !== 409)) throw problem
      await pause(Math.min(1000 * failures, 10_000))
      up = await get<Upload>(`/uploads/${up.id}`).catch(() => up)
    }
    told(up.offset)
  }
  return up.id
}

/** sendBatch uploads a batch; told the share sent as it goes. */
export async function sendBatch(
  fields: { name: string; customer: string; process: string; expect: string },
  files: File[],
  told: (share: number) => void,
): Promise<Batch> {
  const total = files.reduce((sum, f) => sum + f.size, 0) || 1
  const form = new FormData()
  for (const [key, value] of Object.entries(fields)) if (value) form.append(key, value)
  let sent = 0
  for (const file of files) {
    if (file.size <= large) continue
    form.append('upload', await sendPieces(file, (bytes) => told((sent + bytes) / total)))
    sent += file.size
  }
  for (const file of files) if (file.size <= large) form.append('file', file, pathOf(file))
  return new Promise((done, failed) => {
    const request = new XMLHttpRequest() // fetch cannot tell how much is sent
    request.open('POST', root + '/batches')
    request.upload.onprogress = (e) => told(e.lengthComputable ? Math.min(1, (sent + e.loaded) / total) : 0)
    request.onerror = () => failed(new Problem(0, 'The upload broke off. Nothing was recorded; send it again.'))
    request.onload = () => {
      const answer = JSON.parse(request.responseText || '{}') as Batch & { detail?: string }
      if (request.status < 300) done(answer)
      else failed(new Problem(request.status, answer.detail ?? request.statusText))
    }
    request.send(form)
  })
}

/** pathOf is a file's name with the folders that it was dropped in. */
export const pathOf = (file: File) => (file as File & { path?: string }).path ?? (file.webkitRelativePath || file.name)

/** dropped lists the files that were dropped, those within folders too. */
export async function dropped(data: DataTransfer): Promise<File[]> {
  const entries = [...data.items].map((item) => item.webkitGetAsEntry?.()).filter((e): e is FileSystemEntry => !!e)
  if (entries.length === 0) return [...data.files]
  const files: File[] = []
  async function add(entry: FileSystemEntry) {
    if (entry.isFile) {
      const file = await new Promise<File>((done, failed) => (entry as FileSystemFileEntry).file(done, failed))
      Object.defineProperty(file, 'path', { value: entry.fullPath.replace(/^\//, '') })
      files.push(file)
      return
    }
    const reader = (entry as FileSystemDirectoryEntry).createReader()
    for (;;) {
      const some = await new Promise<FileSystemEntry[]>((done, failed) => reader.readEntries(done, failed))
      if (some.length === 0) return
      for (const e of some) await add(e)
    }
  }
  for (const e of entries) await add(e)
  return files.filter((f) => /\.(stl|obj|3mf|zip|mtl|png|jpe?g)$/i.test(f.name))
}

