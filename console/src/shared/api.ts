// The service's nouns as JSON, and how to ask for them.

export type Verdict = 'pass' | 'repair' | 'hold' | 'reject' | ''
export type Severity = 'error' | 'warning' | 'question' | 'note'
export type Vec3 = [number, number, number]

export interface Counts {
  parts: number
  waiting: number
  pass: number
  repaired: number
  repair: number
  hold: number
  reject: number
  failed: number
  progress: number
}

export interface Batch {
  id: number
  name: string
  customer: string
  process: string
  auto_repair: boolean
  created_by: string
  created_at: string
  counts: Counts
}

export interface FindingRow {
  kind: string
  severity: Severity
  count: number
  summary: string
}

export interface Part {
  id: number
  batch_id: number
  name: string
  state: 'waiting' | 'working' | 'done' | 'failed'
  stage: string
  progress: number
  problem?: string
  unit_set?: string
  expect?: string
  current: number
  format: string
  bytes: number
  verdict: Verdict
  triangles: number
  size_mm: Vec3
  has_picture: boolean
  findings: FindingRow[]
}

export interface RepairStep {
  step: string
  title: string
  why: string
  changed: number
  detail?: string
  left?: string
  undone?: string
}

export interface Revision {
  part_id: number
  number: number
  parent: number | null
  title: string
  file_sha256: string
  file_bytes: number
  file_name: string
  verdict: Verdict
  triangles: number
  repair?: { method: string; repaired: boolean; steps: RepairStep[]; volume_change_mm3: number | null; deviation_mm?: { max: number; p99: number; mean: number } | null } | null
  created_at: string
}

export interface Place {
  at_mm: Vec3
  size_mm: number
  triangles: number[]
  triangles_total: number
  line_mm?: Vec3[]
}

export interface Finding extends FindingRow {
  places: Place[]
  places_total: number
}

export interface UnitCandidate {
  unit: string
  probability: number
  size_mm: Vec3
  evidence: string[]
}

export interface Question {
  id: string
  text: string
  default: string
  evidence: string[]
  choices: { answer: string; effect: string; picture?: string }[]
}

export interface Report {
  file: { name: string; format: string; bytes: number; sha256: string }
  unit: { declared: string | null; chosen: string; confidence: number; doubtful: boolean; candidates: UnitCandidate[] }
  geometry: {
    triangles: number
    vertices: number
    shells: number
    bodies: number
    watertight: boolean
    oriented: boolean
    genus: number | null
    self_intersections: number | null
    size_mm: Vec3
    area_mm2: number
    volume_mm3: number | null
  }
  process: string
  material?: { grams: number; price: number }
  shells: Shell[]
  findings: Finding[]
  questions: Question[]
  verdict: Verdict
  unread?: string
}

export interface Shell {
  number: number
  role: string
  triangles: number
  size_mm: Vec3
  volume_mm3: number | null
  depth: number
  inside: number
}

export interface Kind {
  name: string
  title: string
  severity: Severity
  what: string
  harm: string
  action: string
}

export interface Process {
  name: string
  title: string
  machine_mm: Vec3
  wall_mm: number
  detail_mm: number
  layer_mm: number
}

export interface Person {
  name: string
  role: string
}

export interface BatchWithParts {
  batch: Batch
  parts: Part[]
  beside: { path: string; bytes: number }[] | null
}

export interface PartWithRevisions {
  part: Part
  batch: Batch
  revisions: Revision[]
}

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

export async function post<T>(path: string, body?: unknown): Promise<T | undefined> {
  const answer = await ask(path, {
    method: 'POST',
    headers: body === undefined ? {} : { 'Content-Type': 'application/json' },
    body: body === undefined ? undefined : JSON.stringify(body),
  })
  const text = await answer.text()
  return text ? (JSON.parse(text) as T) : undefined
}

export async function signOut(): Promise<void> {
  await ask('/session', { method: 'DELETE' })
}

export const revisionPath = (part: number, number: number, thing: 'file' | 'picture' | 'view' | 'report') =>
  `/parts/${part}/revisions/${number}/${thing}`

export const address = (path: string) => root + path

/** sendBatch uploads a batch; told the share sent as it goes. */
export function sendBatch(
  fields: { name: string; customer: string; process: string; expect: string },
  files: File[],
  told: (share: number) => void,
): Promise<Batch> {
  const form = new FormData()
  for (const [key, value] of Object.entries(fields)) if (value) form.append(key, value)
  for (const file of files) form.append('file', file, file.name)
  return new Promise((done, failed) => {
    const request = new XMLHttpRequest() // fetch cannot tell how much is sent
    request.open('POST', root + '/batches')
    request.upload.onprogress = (e) => told(e.lengthComputable ? e.loaded / e.total : 0)
    request.onerror = () => failed(new Problem(0, 'The upload broke off. Nothing was recorded; send it again.'))
    request.onload = () => {
      const answer = JSON.parse(request.responseText || '{}') as Batch & { detail?: string }
      if (request.status < 300) done(answer)
      else failed(new Problem(request.status, answer.detail ?? request.statusText))
    }
    request.send(form)
  })
}
