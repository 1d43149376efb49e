package api

import (
	"net/http"

	"github.com/gin-gonic/gin"

	"veneer/bureau"
	"veneer/bureau/record"
	"veneer/bureau/report"
	"veneer/core/check"
	"veneer/core/process"
	"veneer/core/repair"
)

// access is who may call a route.
type access int

const (
	anyone    access = iota
	looking          // whoever is signed in
	own              // the same, for one's own things: not with a token for reading
	operating        // operators and above
	leading          // leads and above
	ruling           // administrators
)

// roles are what the levels of access take.
var roles = map[access]record.Role{own: record.Viewer, operating: record.Operator, leading: record.Lead, ruling: record.Administrator}

// route is one thing that the interface does. The table of all is what is served, and
// what the description of the interface is made from.
type route struct {
	method, path string // below /api/v1, as Gin writes parameters
	summary      string
	who          access
	do           gin.HandlerFunc
	in, out      any     // an example of what is sent as JSON, and a value of what is answered; nil for nothing
	form         []param // fields of a form
	takes, gives string  // media types when they are not JSON
	status       int     // of success; 200 when 0
	query        []param // what may stand behind a question mark
}

// exampleKey is where a handler finds its route's example.
const exampleKey = "example"

type param struct{ name, about string }

var inWeeks = []param{{"weeks", "how many, 12 when left out"}, {"finding", "only parts that had it as an error or a question"}}

var forParam = param{"for", "customer, to leave out names and notes"}

const (
	bytesType = "application/octet-stream"
	pngType   = "image/png"
	svgType   = "image/svg+xml"
	zipType   = "application/zip"
	tarType   = "application/x-tar"
	pdfType   = "application/pdf"
	csvType   = "text/csv; charset=utf-8"
	eventType = "text/event-stream"
	formType  = "multipart/form-data"
)

func (s *server) routes() []route {
	get, post := http.MethodGet, http.MethodPost
	return []route{
		{method: get, path: "/openapi.json", who: anyone, do: s.describe, gives: "application/json", summary: "This description"},

		{method: get, path: "/first", who: anyone, do: s.waiting, out: Waiting{}, summary: "Whether the service waits for its first administrator"},
		{method: post, path: "/first", who: anyone, do: s.first, in: FirstOrder{Code: "…", Name: "ada", Password: "…"}, status: http.StatusCreated, summary: "Become the first administrator, by the code that the service printed"},
		{method: post, path: "/session", who: anyone, do: s.signIn, in: Credentials{Name: "ada", Password: "…"}, out: SignIn{}, summary: "Sign in"},
		{method: get, path: "/session", who: looking, do: s.whoAmI, out: record.Person{}, summary: "Who is signed in"},
		{method: http.MethodDelete, path: "/session", who: looking, do: s.signOut, status: http.StatusNoContent, summary: "Sign out"},

		{method: get, path: "/people", who: ruling, do: s.people, out: []record.Person{}, summary: "Everybody who has an account"},
		{method: post, path: "/people", who: ruling, do: s.addPerson, in: PersonOrder{Name: "ben", Role: record.Operator, Password: "…"}, status: http.StatusCreated, summary: "Let somebody in"},
		{method: post, path: "/people/:person", who: ruling, do: s.changePerson, in: PersonOrder{Role: record.Lead}, status: http.StatusAccepted, summary: "Change somebody's role, password, or whether they may sign in"},
		{method: get, path: "/tokens", who: own, do: s.tokens, out: []record.Token{}, summary: "One's own personal tokens"},
		{method: post, path: "/tokens", who: own, do: s.addToken, in: TokenOrder{Name: "night script", Scope: record.Reading, Days: 90}, out: NewToken{}, status: http.StatusCreated, summary: "Make a personal token, which is told this once"},
		{method: http.MethodDelete, path: "/tokens/:token", who: own, do: s.endToken, status: http.StatusNoContent, summary: "End a personal token"},

		{method: get, path: "/audit", who: leading, do: s.trail, out: Trail{}, summary: "The audit trail, newest first",
			query: []param{{"person", "whose lines"}, {"action", "what was done"}, {"batch", "about which batch"}, {"part", "about which part"}, {"before", "go on below this line's number"}}},
		{method: get, path: "/audit/verify", who: leading, do: s.verifyAudit, out: AuditCheck{}, summary: "Whether the audit trail holds, line by line"},
		{method: get, path: "/insights", who: looking, do: s.insights, out: record.Insights{}, summary: "What came in the last weeks, and what became of it", query: inWeeks},
		{method: get, path: "/insights.csv", who: looking, do: s.insightsCSV, gives: csvType, summary: "The same as a table", query: inWeeks},
		{method: get, path: "/metrics", who: looking, do: s.metrics, gives: "text/plain", summary: "Figures for Prometheus; give it a token for reading"},
		{method: get, path: "/hooks", who: ruling, do: s.hooks, out: []record.Hook{}, summary: "Addresses that are told what happens"},
		{method: post, path: "/hooks", who: ruling, do: s.addHook, in: HookOrder{URL: "https://…"}, out: NewHook{}, status: http.StatusCreated, summary: "Have an address told when a batch is done or a question opens"},
		{method: http.MethodDelete, path: "/hooks/:hook", who: ruling, do: s.endHook, status: http.StatusNoContent, summary: "Tell an address no more"},
		{method: get, path: "/vault/verify", who: ruling, do: s.verifyVault, out: VaultCheck{}, summary: "Whether every file is what it was, byte by byte"},
		{method: get, path: "/backup", who: ruling, do: s.backup, gives: tarType, summary: "Records and files, as they are at one moment"},
		{method: get, path: "/search", who: looking, do: s.search, out: []record.Found{}, summary: "Parts that are found, newest first",
			query: []param{{"q", "words of names, batches, customers, notes and answers"}, {"finding", "kind of finding as received"}, {"verdict", "of the newest revision"}, {"customer", "exactly"}, {"process", "its name"}, {"format", "stl, obj or 3mf"}, {"mended", "yes: it passes, and did not as received; no: otherwise"}, {"trouble", "1: with an error or a question as received, of the kind of finding when that is given"},
				{"signed", "proposed, approved or sent back"}, {"least", "longest side in mm, at least"}, {"most", "at most"}, {"since", "day, such as 2026-11-24"}, {"until", "day"}, {"before", "go on below this part's number"}}},

		{method: get, path: "/processes", who: looking, do: s.processes, out: []record.ProcessRow{}, summary: "Printing processes and their limits"},
		{method: http.MethodPut, path: "/processes/:process", who: leading, do: s.setProcess, in: process.All()[4], status: http.StatusAccepted, summary: "Change a printing process, or add one; for checks from now on"},
		{method: http.MethodDelete, path: "/processes/:process", who: leading, do: s.resetProcess, status: http.StatusAccepted, summary: "Bring a process back to what it came as, or take out one that was added and no batch uses"},
		{method: get, path: "/kinds", who: looking, do: s.kinds, out: []Kind{}, summary: "Kinds of findings, explained"},
		{method: get, path: "/kinds/:kind/sketch", who: looking, do: s.sketch, gives: svgType, summary: "A drawing of a kind of finding, before and after"},

		{method: get, path: "/batches", who: looking, do: s.batches, out: []record.Batch{}, summary: "Batches, newest first",
			query: []param{{"before", "go on below this batch's number"}, {"limit", "how many, 1 to 500; 50 when left out"}}},
		{method: post, path: "/batches", who: operating, do: s.receive, takes: formType, out: record.Batch{}, status: http.StatusCreated, summary: "Take in a batch: its words first, then its files",
			form: []param{{"name", "of the batch; that of its first file when left out"}, {"customer", "who sent it"}, {"process", "its name"}, {"repair", "auto, or none to check only"}, {"expect", "the size that the customer stated, for all parts 120x80x40mm or for one lamp.stl=120x80x40mm"},
				{"upload", "the id of a file that came in pieces; may be repeated"}, {"file", "an STL, OBJ, 3MF or zip file, or a material library or texture; may be repeated"}}},
		{method: get, path: "/batches/:batch", who: looking, do: s.batch, out: BatchWithParts{}, summary: "A batch with its parts"},
		{method: get, path: "/batches/:batch/audit", who: looking, do: s.audit, out: []record.Event{}, summary: "What happened to a batch, oldest first"},
		{method: get, path: "/batches/:batch/events", who: looking, do: s.batchEvents, gives: eventType, summary: "A batch and the parts that change, as they do"},
		{method: get, path: "/batches/:batch/export", who: looking, do: s.export, gives: zipType, summary: "The newest files and reports of a batch in one zip",
			query: []param{{"parts", "numbers of parts with commas between; all when left out"}}},
		{method: get, path: "/batches/:batch/report.pdf", who: looking, do: s.batchPDF, gives: pdfType, summary: "The printability report of a batch", query: []param{forParam}},
		{method: get, path: "/batches/:batch/report.csv", who: looking, do: s.batchCSV, gives: csvType, summary: "A table of a batch's parts"},
		{method: post, path: "/batches/:batch/repair", who: operating, do: s.repairBatch, in: PartList{Parts: []int64{3, 4}}, out: Begun{}, status: http.StatusAccepted, summary: "Mend the parts that call for it"},
		{method: post, path: "/batches/:batch/lighten", who: operating, do: s.lightenBatch, in: LightenOrder{Above: 500_000, WithinMM: 0.05}, out: Begun{}, status: http.StatusAccepted, summary: "Make the heavy parts lighter"},
		{method: post, path: "/batches/:batch/unit", who: operating, do: s.setUnits, in: UnitsOrder{Parts: []int64{3, 4}, Unit: "mm"}, out: Begun{}, status: http.StatusAccepted, summary: "Say in which unit parts are"},
		{method: get, path: "/events", who: looking, do: s.events, gives: eventType, summary: "The newest batches, as they change"},

		{method: post, path: "/uploads", who: operating, do: s.beginUpload, in: UploadOrder{Name: "hull.stl", Bytes: 250_000_000}, out: bureau.Upload{}, status: http.StatusCreated, summary: "Begin a large file that comes in pieces"},
		{method: get, path: "/uploads/:upload", who: operating, do: s.upload, out: bureau.Upload{}, summary: "How far an upload is"},
		{method: http.MethodPatch, path: "/uploads/:upload", who: operating, do: s.addToUpload, takes: bytesType, out: bureau.Upload{}, summary: "Add a piece where the upload is",
			query: []param{{"offset", "where the piece begins"}}},

		{method: get, path: "/jobs", who: looking, do: s.jobs, out: []record.JobRow{}, summary: "What runs, what waits in its order, and what ended last"},

		{method: get, path: "/parts/:part", who: looking, do: s.part, out: PartWithRevisions{}, summary: "A part with its revisions"},
		{method: post, path: "/parts/:part/unit", who: operating, do: s.setUnit, in: UnitOrder{Unit: "mm"}, status: http.StatusAccepted, summary: "Say in which unit a part is"},
		{method: post, path: "/parts/:part/answers", who: operating, do: s.answerQuestion, in: AnswerOrder{Question: "cut-short", Answer: "use"}, status: http.StatusAccepted, summary: "Answer a question"},
		{method: post, path: "/parts/:part/expect", who: operating, do: s.setExpect, in: ExpectOrder{Size: "120x80x40mm"}, status: http.StatusAccepted, summary: "Say how large the customer stated a part to be"},
		{method: post, path: "/parts/:part/check", who: operating, do: s.recheck, status: http.StatusAccepted, summary: "Check a part once more"},
		{method: post, path: "/parts/:part/repair", who: operating, do: s.repair, in: bureau.Order{From: 1, Steps: []string{"drop-shell=2", "hollow=2"}}, status: http.StatusAccepted, summary: "Mend a part from one of its revisions"},
		{method: post, path: "/parts/:part/stop", who: operating, do: s.stop, status: http.StatusAccepted, summary: "Stop what is being done to a part"},
		{method: post, path: "/parts/:part/plan", who: looking, do: s.plan, in: bureau.Order{Method: "recast", Recast: []string{"cell=0.2"}}, out: []repair.Step{}, summary: "What a repair would do, and what it needs"},
		{method: post, path: "/parts/:part/studies", who: looking, do: s.ask, in: StudyOrder{Kind: record.Compare, To: 1}, out: record.Study{}, summary: "Have something worked out, or find what was"},
		{method: get, path: "/parts/:part/studies/:study", who: looking, do: s.study, out: record.Study{}, summary: "A study and, when it is done, its result"},
		{method: get, path: "/parts/:part/studies/:study/files/:name", who: looking, do: s.studyFile, gives: bytesType, summary: "A file that came with a study's result"},
		{method: get, path: "/parts/:part/history", who: looking, do: s.history, out: History{}, summary: "Notes and sign-offs, and an earlier part of the same bytes"},
		{method: get, path: "/parts/:part/report", who: looking, do: s.partReport, out: report.Part{}, summary: "The printability report of a part", query: []param{forParam}},
		{method: get, path: "/parts/:part/report.pdf", who: looking, do: s.partPDF, gives: pdfType, summary: "The same, to be printed", query: []param{forParam}},
		{method: post, path: "/parts/:part/answers-as-before", who: operating, do: s.answerAsBefore, status: http.StatusAccepted, summary: "Answer as about an earlier part of the same bytes"},
		{method: post, path: "/parts/:part/links", who: operating, do: s.addLink, in: LinkOrder{Days: 30}, out: NewLink{}, status: http.StatusCreated, summary: "Make an address that shows the report and its files to whoever has it, for a while"},
		{method: get, path: "/parts/:part/links", who: operating, do: s.links, out: []record.Link{}, summary: "The addresses that show a part to whoever has them"},
		{method: http.MethodDelete, path: "/parts/:part/links/:link", who: operating, do: s.endLink, status: http.StatusAccepted, summary: "End one of them"},
		{method: http.MethodDelete, path: "/parts/:part/links", who: operating, do: s.endLinks, status: http.StatusAccepted, summary: "End all such addresses of a part"},
		{method: get, path: "/shared/:link", who: anyone, do: s.sharedReport, out: report.Part{}, summary: "The report that a link shows"},
		{method: get, path: "/shared/:link/report.pdf", who: anyone, do: s.sharedPDF, gives: pdfType, summary: "The same, to be printed"},
		{method: get, path: "/shared/:link/files/:thing", who: anyone, do: s.sharedThing, gives: bytesType, summary: "Its file, or its picture", query: []param{{"received", "1 for as it was received"}}},
		{method: post, path: "/parts/:part/notes", who: operating, do: s.addNote, in: NoteOrder{Kind: "thin-wall", Text: "they know that it is thin"}, status: http.StatusCreated, summary: "Write a note"},
		{method: post, path: "/parts/:part/proposal", who: operating, do: s.propose, status: http.StatusAccepted, summary: "Propose the newest revision for sign-off"},
		{method: post, path: "/parts/:part/decision", who: leading, do: s.decide, in: Decision{Remark: "the hinge is too thin"}, status: http.StatusAccepted, summary: "Approve what is proposed, or send it back"},
		{method: get, path: "/parts/:part/revisions/:number/report", who: looking, do: s.report, out: check.Report{}, summary: "The check report of a revision"},
		{method: get, path: "/parts/:part/revisions/:number/file", who: looking, do: s.file, gives: bytesType, summary: "The file of a revision"},
		{method: get, path: "/parts/:part/revisions/:number/picture", who: looking, do: s.picture, gives: pngType, summary: "A picture of a revision",
			query: []param{{"front", "1 for one straight from the front, which fills its frame"}}},
		{method: get, path: "/parts/:part/revisions/:number/view", who: looking, do: s.view, gives: bytesType, summary: "What a browser shows a revision from",
			query: []param{{"light", "1 for the lighter one of a heavy part"}}},
		{method: get, path: "/parts/:part/revisions/:number/outcomes/:question/:answer", who: looking, do: s.outcome, gives: pngType, summary: "A picture of what an answer would make of the part"},
	}
}

// serveRoutes puts the table into effect.
func (s *server) serveRoutes(v1 *gin.RouterGroup) {
	for _, r := range s.routes() {
		way := []gin.HandlerFunc{sameSite, func(g *gin.Context) { g.Set(exampleKey, r.in) }}
		if r.who >= looking {
			way = append(way, s.signedIn)
		}
		if role, is := roles[r.who]; is {
			way = append(way, atLeast(role))
		}
		v1.Handle(r.method, r.path, append(way, r.do)...)
	}
}
