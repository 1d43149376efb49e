// Made by `go generate ./api` from the description of the interface. Do not edit.

export interface Answer {
  answer: string
  at: string
  by: string
  question: string
}

export interface AnswerOrder {
  alike?: boolean
  answer: string
  question: string
}

export interface Ask {
  choices: Choice[]
  default: string
  evidence: string[]
  id: string
  kind: string
  text: string
}

export interface AuditCheck {
  broken: number
  lines: number
}

export interface Batch {
  auto_repair: boolean
  counts: Counts
  created_at: string
  created_by: string
  customer: string
  id: number
  name: string
  process: string
}

export interface BatchWithParts {
  batch: Batch
  beside: Companion[]
  parts: Part[]
}

export interface Begun {
  parts: number
}

export interface Candidate {
  evidence: string[]
  probability: number
  size_mm: [number, number, number]
  unit: string
}

export interface CheckFinding {
  count: number
  kind: string
  places: Place[]
  places_total: number
  severity: 'error' | 'warning' | 'question' | 'note'
  summary: string
}

export interface Choice {
  answer: string
  effect: string
  picture?: string
}

export interface Clues {
  declared?: string
  earlier?: Record<string, number>
  expect_mm: [number, number, number]
  hints?: string[]
  size: [number, number, number]
}

export interface Companion {
  bytes: number
  path: string
  sha256: string
}

export interface Comparison {
  a: Report | null
  area_change_mm2: number
  b: Report | null
  deviation_mm: Deviation | null
  hollows: [number, number]
  layers: LayerPair[]
  schema: string
  through_holes: [number, number]
  volume_change_mm3: number | null
}

export interface Consent {
  filled: number
  moved_mm: number
  removed: number
  volume: number
}

export interface Counts {
  failed: number
  hold: number
  parts: number
  pass: number
  progress: number
  reject: number
  repair: number
  repaired: number
  waiting: number
}

export interface Credentials {
  name: string
  password: string
}

export interface Damage {
  missing: boolean
  sha256: string
}

export interface Decision {
  approve: boolean
  remark?: string
}

export interface Deviation {
  at_mm: [number, number, number]
  max: number
  mean: number
  p99: number
}

export interface Done {
  at: string
  deviation_mm: Deviation | null
  method: string
  revision: number
  steps: Step[]
  triangles: number
}

export interface Estimate {
  candidates: Candidate[]
  chosen: string
  clues?: Clues
  confidence: number
  declared: string | null
  doubtful: boolean
}

export interface Event {
  action: string
  at: string
  batch_id: number | null
  detail: unknown
  hash: string
  id: number
  part_id: number | null
  person: string
}

export interface ExpectOrder {
  size: string
}

export interface File {
  bytes: number
  format: string
  name: string
  sha256: string
}

export interface Finding {
  count: number
  kind: string
  severity: 'error' | 'warning' | 'question' | 'note'
  summary: string
}

export interface FindingTally {
  kind: string
  parts: number
  settled: number
}

export interface FirstOrder {
  code: string
  name: string
  password: string
}

export interface Found {
  answers: Record<string, string>
  batch_id: number
  batch_name: string
  bytes: number
  created_at: string
  current: number
  customer: string
  expect?: string
  findings: Finding[]
  format: string
  has_picture: boolean
  id: number
  name: string
  problem?: string
  process: string
  progress: number
  received: string
  signed: string
  size_mm: [number, number, number]
  stage: string
  state: 'waiting' | 'working' | 'done' | 'failed'
  triangles: number
  unit_set?: string
  updated_at: string
  verdict: string
}

export interface Geometry {
  area_mm2: number
  bodies: number
  boundary_edges: number
  boundary_loops: number
  degenerate: number
  duplicates: number
  edges: number
  flipped: number
  genus: number | null
  inconsistent_edges: number
  inside_out_shells: number
  min_mm: [number, number, number]
  non_manifold_edges: number
  non_manifold_vertices: number
  oriented: boolean
  self_intersections: number | null
  self_intersections_at_least?: boolean
  shells: number
  size_mm: [number, number, number]
  tee_joints: number
  triangles: number
  vertices: number
  volume_mm3: number | null
  watertight: boolean
}

export interface History {
  notes: Note[]
  seen: Seen | null
  signoffs: Signoff[]
}

export interface Hollowed {
  mass_g: number
  parts: number
  price: number
  process: string
  volume_mm3: number
}

export interface Hook {
  created_at: string
  created_by: string
  error: string
  id: number
  url: string
  waiting: number
}

export interface HookOrder {
  url: string
}

export interface Insights {
  customers: SourceTally[]
  finding: string
  findings: FindingTally[]
  formats: SourceTally[]
  hollowed: Hollowed[]
  hours_to_sign_off: number | null
  signed_off: number
  since: string
  weeks: Week[]
}

export interface JobRow {
  batch_id: number
  batch_name: string
  created_at: string
  error?: string
  finished_at: string | null
  id: number
  kind: 'inspect' | 'mend' | 'study'
  part_id: number
  part_name: string
  progress: number
  stage: string
  started_at: string | null
  state: string
  worker: string
}

export interface Kind {
  action: string
  harm: string
  name: string
  severity: 'error' | 'warning' | 'question' | 'note'
  title: string
  what: string
}

export interface LayerPair {
  area_mm2: [number, number]
  wrong: [boolean, boolean]
  z_mm: number
}

export interface Level {
  bytes: number
  name: string
  stops_mm: number[]
  triangles: number
  why: string
  within_mm: number
}

export interface LightenOrder {
  above: number
  parts?: number[]
  within_mm?: number
}

export interface Link {
  created_at: string
  created_by: string
  expires_at: string
  id: number
  opened_at: string | null
  part_id: number
}

export interface LinkOrder {
  days: number
}

export interface Material {
  grams: number
  price: number
}

export interface Need {
  bytes: number
  seconds: number
}

export interface NewHook {
  hook: Hook
  secret: string
}

export interface NewLink {
  path: string
}

export interface NewToken {
  record: Token
  token: string
}

export interface Note {
  created_at: string
  created_by: string
  id: number
  kind: string
  part_id: number
  text: string
}

export interface NoteOrder {
  kind?: string
  text: string
}

export interface Order {
  from: number
  method?: string
  recast?: string[]
  steps?: string[]
}

export interface Part {
  answers: Record<string, string>
  batch_id: number
  bytes: number
  created_at: string
  current: number
  expect?: string
  findings: Finding[]
  format: string
  has_picture: boolean
  id: number
  name: string
  problem?: string
  progress: number
  received: string
  signed: string
  size_mm: [number, number, number]
  stage: string
  state: 'waiting' | 'working' | 'done' | 'failed'
  triangles: number
  unit_set?: string
  updated_at: string
  verdict: string
}

export interface PartList {
  parts?: number[]
}

export interface PartWithRevisions {
  batch: Batch
  part: Part
  revisions: Revision[]
}

export interface Person {
  active: boolean
  created_at: string
  id: number
  locked_until: string | null
  name: string
  role: 'viewer' | 'operator' | 'lead' | 'administrator'
}

export interface PersonOrder {
  active?: boolean
  name?: string
  password?: string
  role: 'viewer' | 'operator' | 'lead' | 'administrator'
}

export interface Place {
  at_mm: [number, number, number]
  layers_mm?: [number, number]
  line_mm?: ([number, number, number])[]
  size_mm: number
  triangles: number[]
  triangles_total: number
}

export interface Problem {
  detail: string
  status: number
  title: string
}

export interface Process {
  consent: Consent
  density_g_cm3: number
  detail_mm: number
  drain_mm: number
  layer_mm: number
  machine_mm: [number, number, number]
  max_bytes: number
  max_triangles: number
  name: string
  needs_drains: boolean
  overhang_deg: number
  policy?: Record<string, string>
  price_per_cm3: number
  title: string
  typical_mm: number
  wall_mm: number
}

export interface ProcessRow {
  changed_at: string | null
  changed_by: string
  consent: Consent
  density_g_cm3: number
  detail_mm: number
  drain_mm: number
  layer_mm: number
  machine_mm: [number, number, number]
  max_bytes: number
  max_triangles: number
  name: string
  needs_drains: boolean
  origin: 'shipped' | 'changed' | 'added'
  overhang_deg: number
  policy?: Record<string, string>
  price_per_cm3: number
  title: string
  typical_mm: number
  wall_mm: number
}

export interface Report {
  answers?: Record<string, string>
  file: File
  findings: CheckFinding[]
  geometry: Geometry
  limits?: Process
  material?: Material
  process: string
  questions: Ask[]
  schema: string
  shells: ShellRow[]
  timings_ms: Record<string, number>
  unit: Estimate
  unread?: string
  verdict: 'pass' | 'repair' | 'hold' | 'reject'
}

export interface ReportFinding {
  after: number
  before: number
  harm: string
  kind: string
  severity: 'error' | 'warning' | 'question' | 'note'
  summary: string
  title: string
  what: string
}

export interface ReportPart {
  answers: Answer[]
  batch: Batch
  customer: boolean
  done: Done[]
  findings: ReportFinding[]
  made: string
  notes: Note[]
  now: Report | null
  part: Part
  process: Process
  received: Report | null
  says: string
  schema: string
  signoffs: Signoff[]
  verdict: string
}

export interface Result {
  after: Report | null
  before: Report | null
  called: string
  deviation_mm: Deviation | null
  method: string
  questions: Ask[]
  repaired: boolean
  schema: string
  steps: Step[]
  verdict: 'pass' | 'repair' | 'hold' | 'reject'
  volume_change_mm3: number | null
}

export interface Revision {
  created_at: string
  file_bytes: number
  file_name: string
  file_sha256: string
  hollowed_mm3: number
  light: boolean
  number: number
  parent: number | null
  part_id: number
  repair?: Result
  report?: Report
  title: string
  triangles: number
  verdict: string
}

export interface Seen {
  answers: Record<string, string>
  batch_id: number
  batch_name: string
  created_at: string
  current: number
  name: string
  part_id: number
  unit_set: string
  verdict: string
}

export interface ShellRow {
  area_mm2: number
  at_mm: [number, number, number]
  depth: number
  inside: number
  inside_out?: boolean
  number: number
  overlaps?: boolean
  role: string
  size_mm: [number, number, number]
  triangles: number
  volume_mm3: number | null
}

export interface SignIn {
  person: Person
  token: string
}

export interface Signoff {
  decided_at: string | null
  decided_by: string
  id: number
  part_id: number
  proposed_at: string
  proposed_by: string
  remark: string
  revision: number
  state: 'proposed' | 'approved' | 'sent back' | 'withdrawn'
}

export interface SourceTally {
  kinds?: string[]
  name: string
  parts: number
  troubled: number
}

export interface Step {
  changed: number
  detail?: string
  hollowed_mm3?: number
  left?: string
  moved_mm: number
  ms: number
  needs?: Need
  step: string
  title: string
  triangles_after: number
  triangles_before: number
  undone?: string
  why: string
  with?: Record<string, number>
}

export interface Study {
  created_at: string
  created_by: string
  from: number
  id: number
  kind: 'compare' | 'levels'
  part_id: number
  problem?: string
  progress: number
  result: Comparison | Level[] | null
  stage: string
  state: string
  to: number
}

export interface StudyOrder {
  from: number
  kind: 'compare' | 'levels'
  to?: number
}

export interface Token {
  created_at: string
  expires_at: string
  id: number
  name: string
  scope: 'everything' | 'reading'
  used_at: string | null
}

export interface TokenOrder {
  days: number
  name: string
  scope: 'everything' | 'reading'
}

export interface Trail {
  actions: string[]
  lines: TrailLine[]
}

export interface TrailLine {
  action: string
  at: string
  batch_id: number | null
  batch_name: string
  detail: unknown
  hash: string
  id: number
  part_id: number | null
  part_name: string
  person: string
}

export interface UnitOrder {
  alike?: boolean
  unit: string
}

export interface UnitsOrder {
  parts: number[]
  unit: string
}

export interface Upload {
  bytes: number
  id: string
  name: string
  offset: number
}

export interface UploadOrder {
  bytes: number
  name: string
}

export interface VaultCheck {
  bad: Damage[]
  files: number
}

export interface Waiting {
  first: boolean
}

export interface Week {
  hold: number
  hours_to_sign_off: number | null
  monday: string
  parts: number
  pass: number
  reject: number
  repair: number
  repaired: number
  signed_off: number
}
