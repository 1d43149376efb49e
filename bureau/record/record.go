// Package record holds the bureau's nouns as they are kept, served and shown:
// batches, their parts, the parts' revisions, jobs and people.
package record

import (
	"encoding/json"
	"fmt"
	"slices"
	"time"

	"veneer/core/check"
	"veneer/core/process"
)

// Batch is what a customer sent in one go.
type Batch struct {
	ID         int64     `db:"id" json:"id"`
	Name       string    `db:"name" json:"name"`
	Customer   string    `db:"customer" json:"customer"`
	Process    string    `db:"process" json:"process"`
	AutoRepair bool      `db:"auto_repair" json:"auto_repair"`
	CreatedBy  string    `db:"created_by" json:"created_by"`
	CreatedAt  time.Time `db:"created_at" json:"created_at"`
	Settled    bool      `db:"settled" json:"-"`     // its files were looked at together, too
	RequestKey *string   `db:"request_key" json:"-"` // under which it was sent, to be taken in once
	Counts     Counts    `db:"-" json:"counts"`
}

// Counts sums up a batch's parts by what became of them.
type Counts struct {
	Parts    int     `json:"parts"`
	Waiting  int     `json:"waiting"`  // queued or running
	Pass     int     `json:"pass"`     // as received
	Repaired int     `json:"repaired"` // pass after a repair
	Repair   int     `json:"repair"`   // errors left
	Hold     int     `json:"hold"`
	Reject   int     `json:"reject"`
	Failed   int     `json:"failed"`   // the work itself failed
	Progress float64 `json:"progress"` // 0..1 over all parts
}

// Done reports whether nothing waits or runs.
func (c Counts) Done() bool { return c.Waiting == 0 }

// PartState is where a part stands in the work.
type PartState string

const (
	PartWaiting PartState = "waiting" // a job is queued
	PartWorking PartState = "working" // a job runs
	PartDone    PartState = "done"
	PartFailed  PartState = "failed" // the work itself failed
)

// Part is one file of a batch, with what its newest revision shows.
type Part struct {
	ID        int64      `db:"id" json:"id"`
	BatchID   int64      `db:"batch_id" json:"batch_id"`
	Name      string     `db:"name" json:"name"`
	State     PartState  `db:"state" json:"state"`
	Stage     string     `db:"stage" json:"stage"`
	Progress  float64    `db:"progress" json:"progress"`
	Signed    string     `db:"signed" json:"signed"`             // how far its sign-off is: proposed, approved, sent back, or nothing
	Words     string     `db:"words" json:"-"`                   // that it is found by
	Problem   string     `db:"problem" json:"problem,omitempty"` // why it failed, or could not be read
	UnitSet   string     `db:"unit_set" json:"unit_set,omitempty"`
	Path      string     `db:"path" json:"-"`                  // among the files that came, with its folder in an archive
	Expect    string     `db:"expect" json:"expect,omitempty"` // the size that the customer stated, as written
	Answers   JSON       `db:"answers" json:"answers"`         // to questions, by their ids
	Current   int        `db:"current" json:"current"`         // number of the newest revision
	Format    string     `db:"format" json:"format"`
	Bytes     int64      `db:"bytes" json:"bytes"`
	Verdict   string     `db:"verdict" json:"verdict"`
	Received  string     `db:"received" json:"received"` // the verdict of the file as received
	Triangles int        `db:"triangles" json:"triangles"`
	SizeX     float64    `db:"size_x" json:"-"`
	SizeY     float64    `db:"size_y" json:"-"`
	SizeZ     float64    `db:"size_z" json:"-"`
	SizeMM    [3]float64 `db:"-" json:"size_mm"`
	Picture   bool       `db:"has_picture" json:"has_picture"`
	Findings  []Finding  `db:"-" json:"findings"` // of the file as received
	CreatedAt time.Time  `db:"created_at" json:"created_at"`
	UpdatedAt time.Time  `db:"updated_at" json:"updated_at"`
}

// Mended reports whether a part passes that did not as it was received.
func (p Part) Mended() bool {
	return p.Verdict == string(check.Pass) && p.Received != string(check.Pass)
}

// Companion is a file that came along with a batch's parts and is none itself:
// a material library or a texture.
type Companion struct {
	Path   string `db:"path" json:"path"`
	SHA256 string `db:"sha256" json:"sha256"`
	Bytes  int64  `db:"bytes" json:"bytes"`
}

// Finding is the row of one finding of one revision.
type Finding struct {
	Kind     string         `db:"kind" json:"kind"`
	Severity check.Severity `db:"severity" json:"severity"`
	Count    int            `db:"count" json:"count"`
	Summary  string         `db:"summary" json:"summary"`
}

// Revision is one state of a part's mesh. Number 0 is the file as received.
type Revision struct {
	ID         int64     `db:"id" json:"-"`
	PartID     int64     `db:"part_id" json:"part_id"`
	Number     int       `db:"number" json:"number"`
	Parent     *int      `db:"parent" json:"parent"`
	Title      string    `db:"title" json:"title"`
	FileSHA256 string    `db:"file_sha256" json:"file_sha256"`
	FileBytes  int64     `db:"file_bytes" json:"file_bytes"`
	FileName   string    `db:"file_name" json:"file_name"`
	PictureSHA string    `db:"picture_sha256" json:"-"`
	ViewSHA    string    `db:"view_sha256" json:"-"`
	LightSHA   string    `db:"light_sha256" json:"-"` // a lighter view, of heavy ones
	FrontSHA   string    `db:"front_sha256" json:"-"`
	MarkedSHA  string    `db:"marked_sha256" json:"-"` // a picture with the errors marked, where there are any
	Light      bool      `db:"-" json:"light"`         // there is a lighter view
	Verdict    string    `db:"verdict" json:"verdict"`
	Triangles  int       `db:"triangles" json:"triangles"`
	SizeX      float64   `db:"size_x" json:"-"`
	SizeY      float64   `db:"size_y" json:"-"`
	SizeZ      float64   `db:"size_z" json:"-"`
	Hollowed   float64   `db:"hollowed_mm3" json:"hollowed_mm3"` // taken out by hollowing, on the way to it
	Report     JSON      `db:"report" json:"report,omitempty"`   // veneer.check/1, once checked
	Repair     JSON      `db:"repair" json:"repair,omitempty"`   // steps of the repair that made it
	CreatedAt  time.Time `db:"created_at" json:"created_at"`
}

// Checked is a revision's check report; nil before it is checked.
func (r Revision) Checked() (*check.Report, error) {
	if r.Report == nil {
		return nil, nil
	}
	report := new(check.Report)
	if err := json.Unmarshal(r.Report, report); err != nil {
		return nil, fmt.Errorf("the report of revision %d: %w", r.Number, err)
	}
	return report, nil
}

// JobKind is what a job does to a part.
type JobKind string

const (
	Inspect JobKind = "inspect" // read, settle the unit, check, picture
	Mend    JobKind = "mend"    // repair a revision, check the result
	Look    JobKind = "study"   // work something out that changes nothing
)

// MethodStep begins what stands in place of a job's steps when a person ordered a
// method.
const MethodStep = "method="

// Job is work to do on a part.
type Job struct {
	ID       int64   `db:"id" json:"id"`
	PartID   int64   `db:"part_id" json:"part_id"`
	Kind     JobKind `db:"kind" json:"kind"`
	State    string  `db:"state" json:"state"` // queued, running, done, failed
	Attempts int     `db:"attempts" json:"attempts"`
	From     int     `db:"from_revision" json:"from"` // the revision that a mend starts from
	Steps    JSON    `db:"steps" json:"steps"`        // that a person ordered; none for what a repair would do
	StudyID  *int64  `db:"study_id" json:"-"`
}

// StudyKind is what a study works out.
type StudyKind string

const (
	Compare StudyKind = "compare" // what differs between two revisions, and where
	Levels  StudyKind = "levels"  // how light a revision may be
)

// Study is something worked out about revisions of a part that changes nothing. What
// was worked out once is kept.
type Study struct {
	ID        int64     `db:"id" json:"id"`
	PartID    int64     `db:"part_id" json:"part_id"`
	Kind      StudyKind `db:"kind" json:"kind"`
	From      int       `db:"from_revision" json:"from"`
	To        int       `db:"to_revision" json:"to"` // of a comparison
	State     string    `db:"state" json:"state"`    // queued, running, done, failed
	Stage     string    `db:"stage" json:"stage"`    // what is being done
	Progress  float64   `db:"progress" json:"progress"`
	Problem   string    `db:"problem" json:"problem,omitempty"`
	About     string    `db:"about" json:"-"`       // hash of what was looked at
	Result    JSON      `db:"result" json:"result"` // once done
	Files     JSON      `db:"files" json:"-"`       // SHA-256 of what came with it, by name
	CreatedBy string    `db:"created_by" json:"created_by"`
	CreatedAt time.Time `db:"created_at" json:"created_at"`
}

// JobRow is a job as the list of all shows it.
type JobRow struct {
	ID         int64      `db:"id" json:"id"`
	Kind       JobKind    `db:"kind" json:"kind"`
	State      string     `db:"state" json:"state"` // queued, running, done, failed, stopped
	Stage      string     `db:"stage" json:"stage"`
	Progress   float64    `db:"progress" json:"progress"`
	Worker     string     `db:"worker" json:"worker"`
	Error      string     `db:"error" json:"error,omitempty"`
	PartID     int64      `db:"part_id" json:"part_id"`
	PartName   string     `db:"part_name" json:"part_name"`
	BatchID    int64      `db:"batch_id" json:"batch_id"`
	BatchName  string     `db:"batch_name" json:"batch_name"`
	CreatedAt  time.Time  `db:"created_at" json:"created_at"`
	StartedAt  *time.Time `db:"started_at" json:"started_at"`
	FinishedAt *time.Time `db:"finished_at" json:"finished_at"`
}

// Role is what a person may do; each may do what those before it may.
type Role string

const (
	Viewer        Role = "viewer"        // look
	Operator      Role = "operator"      // change parts, propose sign-offs
	Lead          Role = "lead"          // decide about sign-offs
	Administrator Role = "administrator" // let people in
)

// Roles are all of them, in order.
var Roles = []Role{Viewer, Operator, Lead, Administrator}

// AtLeast reports whether a role may do what another may.
func (r Role) AtLeast(other Role) bool { return slices.Index(Roles, r) >= slices.Index(Roles, other) }

// Person is somebody who signs in.
type Person struct {
	ID           int64      `db:"id" json:"id"`
	Name         string     `db:"name" json:"name"`
	Role         Role       `db:"role" json:"role"`
	Active       bool       `db:"active" json:"active"` // may sign in
	Failures     int        `db:"failures" json:"-"`    // wrong passwords since the last right one
	LockedUntil  *time.Time `db:"locked_until" json:"locked_until"`
	PasswordHash string     `db:"password_hash" json:"-"`
	CreatedAt    time.Time  `db:"created_at" json:"created_at"`
}

// Scope is what a token is for.
type Scope string

const (
	Everything Scope = "everything" // whatever its person may do
	Reading    Scope = "reading"    // looking only
)

// Token lets a program in as the person who made it.
type Token struct {
	ID        int64      `db:"id" json:"id"`
	PersonID  int64      `db:"person_id" json:"-"`
	Name      string     `db:"name" json:"name"`
	Scope     Scope      `db:"scope" json:"scope"`
	CreatedAt time.Time  `db:"created_at" json:"created_at"`
	ExpiresAt time.Time  `db:"expires_at" json:"expires_at"`
	UsedAt    *time.Time `db:"used_at" json:"used_at"`
}

// SignState is how far a sign-off is.
type SignState string

const (
	Proposed  SignState = "proposed"
	Approved  SignState = "approved"
	SentBack  SignState = "sent back"
	Withdrawn SignState = "withdrawn" // the part changed afterwards
)

// Signoff says that a revision of a part is fit to be handed over.
type Signoff struct {
	ID         int64      `db:"id" json:"id"`
	PartID     int64      `db:"part_id" json:"part_id"`
	Revision   int        `db:"revision" json:"revision"`
	State      SignState  `db:"state" json:"state"`
	ProposedBy string     `db:"proposed_by" json:"proposed_by"`
	ProposedAt time.Time  `db:"proposed_at" json:"proposed_at"`
	DecidedBy  string     `db:"decided_by" json:"decided_by"`
	DecidedAt  *time.Time `db:"decided_at" json:"decided_at"`
	Remark     string     `db:"remark" json:"remark"`
}

// Note is what somebody wrote about a part, or about a kind of finding of it.
type Note struct {
	ID        int64     `db:"id" json:"id"`
	PartID    int64     `db:"part_id" json:"part_id"`
	Kind      string    `db:"kind" json:"kind"`
	Text      string    `db:"text" json:"text"`
	CreatedBy string    `db:"created_by" json:"created_by"`
	CreatedAt time.Time `db:"created_at" json:"created_at"`
}

// Seen is an earlier part of the very same bytes, and what came of it.
type Seen struct {
	PartID    int64     `db:"part_id" json:"part_id"`
	Name      string    `db:"name" json:"name"`
	BatchID   int64     `db:"batch_id" json:"batch_id"`
	BatchName string    `db:"batch_name" json:"batch_name"`
	CreatedAt time.Time `db:"created_at" json:"created_at"`
	Current   int       `db:"current" json:"current"`
	UnitSet   string    `db:"unit_set" json:"unit_set"`
	Answers   JSON      `db:"answers" json:"answers"`
	Verdict   string    `db:"verdict" json:"verdict"`
}

// Query is what parts are looked for by; what is empty does not count.
type Query struct {
	Text     string // of names, batches, customers, notes and answers: all these words
	Finding  string // kind, of the file as received
	Verdict  string // of the newest revision
	Customer string
	Process  string
	Format   string // stl, obj or 3mf
	Signed   string
	Mended   string  // yes: it passes, and did not as received; no: otherwise
	Trouble  bool    // with an error or a question as received; of that kind when a finding is given
	LeastMM  float64 // longest side
	MostMM   float64
	Since    time.Time
	Until    time.Time
}

// Found is a part that a search found, with where it belongs.
type Found struct {
	Part
	BatchName string `db:"batch_name" json:"batch_name"`
	Customer  string `db:"customer" json:"customer"`
	Process   string `db:"process" json:"process"`
}

// Link is an address that shows a part's report to whoever has it, for a while.
type Link struct {
	ID        int64      `db:"id" json:"id"`
	PartID    int64      `db:"part_id" json:"part_id"`
	CreatedBy string     `db:"created_by" json:"created_by"`
	CreatedAt time.Time  `db:"created_at" json:"created_at"`
	ExpiresAt time.Time  `db:"expires_at" json:"expires_at"`
	OpenedAt  *time.Time `db:"opened_at" json:"opened_at"` // last; null when nobody has
}

// Origin tells where a printing process comes from.
type Origin string

const (
	Shipped Origin = "shipped" // it comes along, and is as it came
	Changed Origin = "changed" // it comes along, and was changed
	Added   Origin = "added"
)

// ProcessRow is a printing process, where it comes from, and who changed it last.
type ProcessRow struct {
	process.Process
	Origin    Origin     `json:"origin"`
	ChangedBy string     `json:"changed_by"`
	ChangedAt *time.Time `json:"changed_at"`
}

// Hook is somebody who is told when a batch is done or a question opens.
type Hook struct {
	ID        int64     `db:"id" json:"id"`
	URL       string    `db:"url" json:"url"`
	Waiting   int       `db:"waiting" json:"waiting"` // still to be told
	Error     string    `db:"error" json:"error"`     // of the last try
	CreatedBy string    `db:"created_by" json:"created_by"`
	CreatedAt time.Time `db:"created_at" json:"created_at"`
}

// Delivery is one thing to be told to one of them.
type Delivery struct {
	ID       int64  `db:"id"`
	Event    string `db:"event"`
	Body     string `db:"body"`
	Attempts int    `db:"attempts"`
	URL      string `db:"url"`
	Secret   string `db:"secret"`
}

// Insights sum up what came since a time.
type Insights struct {
	Since          time.Time      `json:"since"`
	Finding        string         `json:"finding"` // only parts count that had it; all for ""
	Weeks          []Week         `json:"weeks"`
	Findings       []FindingTally `json:"findings"` // errors and questions, of files as received
	Customers      []SourceTally  `json:"customers"`
	Formats        []SourceTally  `json:"formats"`
	SignedOff      int            `json:"signed_off"`
	HoursToSignOff *float64       `json:"hours_to_sign_off"` // from intake, the middle one; null when there is none
	Hollowed       []Hollowed     `json:"hollowed"`
}

// Hollowed is the material that hollowing took out of the parts of a process, and what
// it would weigh and cost.
type Hollowed struct {
	Process   string  `db:"process" json:"process"`
	Parts     int     `db:"parts" json:"parts"`
	VolumeMM3 float64 `db:"volume_mm3" json:"volume_mm3"`
	MassG     float64 `db:"-" json:"mass_g"`
	Price     float64 `db:"-" json:"price"` // in the bureau's currency
}

// Week is what became of the parts that came in one week.
type Week struct {
	Monday   string `db:"monday" json:"monday"`
	Parts    int    `db:"parts" json:"parts"`
	Pass     int    `db:"pass" json:"pass"` // as received
	Repaired int    `db:"repaired" json:"repaired"`
	Repair   int    `db:"repair" json:"repair"`
	Hold     int    `db:"hold" json:"hold"`
	Reject   int    `db:"reject" json:"reject"`

	SignedOff      int      `db:"-" json:"signed_off"`
	HoursToSignOff *float64 `db:"-" json:"hours_to_sign_off"` // from intake, the middle one; null when there is none
}

// FindingTally counts the parts that a kind of finding was found in.
type FindingTally struct {
	Kind    string `db:"kind" json:"kind"`
	Parts   int    `db:"parts" json:"parts"`
	Settled int    `db:"settled" json:"settled"` // of them that pass now
}

// SourceTally counts the parts of a customer, or of a format.
type SourceTally struct {
	Name     string   `db:"name" json:"name"`
	Parts    int      `db:"parts" json:"parts"`
	Troubled int      `db:"troubled" json:"troubled"` // with an error or a question as received
	Kinds    []string `db:"-" json:"kinds,omitempty"` // the most frequent
}

// JSON is a document kept as it is; nil is no document.
type JSON []byte

// Scan takes a document from the database.
func (j *JSON) Scan(v any) error {
	switch v := v.(type) {
	case nil:
		*j = nil
	case []byte:
		*j = slices.Clone(v)
	case string:
		*j = JSON(v)
	default:
		return fmt.Errorf("a JSON document cannot be a %T", v)
	}
	return nil
}

// MarshalJSON is the document, or null.
func (j JSON) MarshalJSON() ([]byte, error) {
	if j == nil {
		return []byte("null"), nil
	}
	return j, nil
}

// UnmarshalJSON keeps the document.
func (j *JSON) UnmarshalJSON(b []byte) error {
	*j = slices.Clone(b)
	return nil
}

// Event is one line of the audit trail.
type Event struct {
	ID      int64     `db:"id" json:"id"`
	At      time.Time `db:"at" json:"at"`
	Person  string    `db:"person" json:"person"` // "veneer" for what the service does by itself
	Action  string    `db:"action" json:"action"`
	BatchID *int64    `db:"batch_id" json:"batch_id"`
	PartID  *int64    `db:"part_id" json:"part_id"`
	Detail  JSON      `db:"detail" json:"detail"`
	Hash    string    `db:"hash" json:"hash"` // over this line and the one before it
}

// TrailQuery is what lines of the audit trail are looked for by; what is empty does not
// count.
type TrailQuery struct {
	Person, Action string
	Batch, Part    int64
}

// TrailLine is a line of the audit trail with what it is about.
type TrailLine struct {
	Event
	BatchName string `db:"batch_name" json:"batch_name"`
	PartName  string `db:"part_name" json:"part_name"`
}
