package client

import (
	"context"
	"fmt"
	"io"
	"net/http"
	"net/url"

	"veneer/api"
	"veneer/bureau/record"
	"veneer/core/process"
)

// ReportPDF copies the printability report of a part to w as PDF, for the customer
// without names and notes.
func (c *Client) ReportPDF(ctx context.Context, part int64, customer bool, w io.Writer) error {
	return c.copy(ctx, fmt.Sprintf("/parts/%d/report.pdf%s", part, forWhom(customer)), w)
}

// BatchReportPDF does so with a batch.
func (c *Client) BatchReportPDF(ctx context.Context, batch int64, customer bool, w io.Writer) error {
	return c.copy(ctx, fmt.Sprintf("/batches/%d/report.pdf%s", batch, forWhom(customer)), w)
}

// BatchCSV copies the table of a batch's parts to w.
func (c *Client) BatchCSV(ctx context.Context, batch int64, w io.Writer) error {
	return c.copy(ctx, fmt.Sprintf("/batches/%d/report.csv", batch), w)
}

// ReportJSON copies the report of a part to w as JSON.
func (c *Client) ReportJSON(ctx context.Context, part int64, customer bool, w io.Writer) error {
	return c.copy(ctx, fmt.Sprintf("/parts/%d/report%s", part, forWhom(customer)), w)
}

func forWhom(customer bool) string {
	if customer {
		return "?for=customer"
	}
	return ""
}

// Search finds parts by what the query says, as the interface names it.
func (c *Client) Search(ctx context.Context, query url.Values) (list []record.Found, err error) {
	return list, c.send(ctx, http.MethodGet, "/search?"+query.Encode(), nil, &list)
}

// History is what people said and did about a part.
func (c *Client) History(ctx context.Context, part int64) (h api.History, err error) {
	return h, c.send(ctx, http.MethodGet, fmt.Sprintf("/parts/%d/history", part), nil, &h)
}

// AddNote writes a note about a part.
func (c *Client) AddNote(ctx context.Context, part int64, text string) error {
	return c.send(ctx, http.MethodPost, fmt.Sprintf("/parts/%d/notes", part), api.NoteOrder{Text: text}, nil)
}

// Propose proposes a part for sign-off.
func (c *Client) Propose(ctx context.Context, part int64) error {
	return c.send(ctx, http.MethodPost, fmt.Sprintf("/parts/%d/proposal", part), nil, nil)
}

// Decide approves what was proposed, or sends it back with a remark.
func (c *Client) Decide(ctx context.Context, part int64, approve bool, remark string) error {
	return c.send(ctx, http.MethodPost, fmt.Sprintf("/parts/%d/decision", part), api.Decision{Approve: approve, Remark: remark}, nil)
}

// NewToken makes a personal token; it is told this once.
func (c *Client) NewToken(ctx context.Context, order api.TokenOrder) (t api.NewToken, err error) {
	return t, c.send(ctx, http.MethodPost, "/tokens", order, &t)
}

// EndToken ends a personal token.
func (c *Client) EndToken(ctx context.Context, id int64) error {
	return c.send(ctx, http.MethodDelete, fmt.Sprintf("/tokens/%d", id), nil, nil)
}

// AddPerson lets somebody in.
func (c *Client) AddPerson(ctx context.Context, order api.PersonOrder) error {
	return c.send(ctx, http.MethodPost, "/people", order, nil)
}

// People lists everybody who has an account.
func (c *Client) People(ctx context.Context) (list []record.Person, err error) {
	return list, c.send(ctx, http.MethodGet, "/people", nil, &list)
}

// ChangePerson changes somebody's role, password, or whether they may sign in.
func (c *Client) ChangePerson(ctx context.Context, id int64, order api.PersonOrder) error {
	return c.send(ctx, http.MethodPost, fmt.Sprintf("/people/%d", id), order, nil)
}

// VerifyAudit tells whether the audit trail holds.
func (c *Client) VerifyAudit(ctx context.Context) (a api.AuditCheck, err error) {
	return a, c.send(ctx, http.MethodGet, "/audit/verify", nil, &a)
}

// Trail reads the audit trail, newest first, as the query says, as the interface names it.
func (c *Client) Trail(ctx context.Context, query url.Values) (t api.Trail, err error) {
	return t, c.send(ctx, http.MethodGet, "/audit?"+query.Encode(), nil, &t)
}

// Processes lists the printing processes.
func (c *Client) Processes(ctx context.Context) (list []record.ProcessRow, err error) {
	return list, c.send(ctx, http.MethodGet, "/processes", nil, &list)
}

// SetProcess changes a printing process, or adds one.
func (c *Client) SetProcess(ctx context.Context, p process.Process) error {
	return c.send(ctx, http.MethodPut, "/processes/"+url.PathEscape(p.Name), p, nil)
}

// ResetProcess brings a process back to what it came as, or takes out one that was added.
func (c *Client) ResetProcess(ctx context.Context, name string) error {
	return c.send(ctx, http.MethodDelete, "/processes/"+url.PathEscape(name), nil, nil)
}

// AnswerAsBefore answers a part's questions as they were answered about an earlier part
// of the very same bytes.
func (c *Client) AnswerAsBefore(ctx context.Context, part int64) error {
	return c.send(ctx, http.MethodPost, fmt.Sprintf("/parts/%d/answers-as-before", part), nil, nil)
}

// Backup copies a backup of everything to w.
func (c *Client) Backup(ctx context.Context, w io.Writer) error { return c.copy(ctx, "/backup", w) }

// VerifyVault has every file read and compared with its hash.
func (c *Client) VerifyVault(ctx context.Context) (v api.VaultCheck, err error) {
	return v, c.send(ctx, http.MethodGet, "/vault/verify", nil, &v)
}

// NewLink makes an address that shows a part's report to whoever has it.
func (c *Client) NewLink(ctx context.Context, part int64, days int) (l api.NewLink, err error) {
	return l, c.send(ctx, http.MethodPost, fmt.Sprintf("/parts/%d/links", part), api.LinkOrder{Days: days}, &l)
}

// Links lists the addresses that show a part to whoever has them.
func (c *Client) Links(ctx context.Context, part int64) (list []record.Link, err error) {
	return list, c.send(ctx, http.MethodGet, fmt.Sprintf("/parts/%d/links", part), nil, &list)
}

// EndLink ends one of them.
func (c *Client) EndLink(ctx context.Context, part, link int64) error {
	return c.send(ctx, http.MethodDelete, fmt.Sprintf("/parts/%d/links/%d", part, link), nil, nil)
}

// EndLinks ends all such addresses of a part.
func (c *Client) EndLinks(ctx context.Context, part int64) error {
	return c.send(ctx, http.MethodDelete, fmt.Sprintf("/parts/%d/links", part), nil, nil)
}

// NewHook has an address told what happens.
func (c *Client) NewHook(ctx context.Context, address string) (h api.NewHook, err error) {
	return h, c.send(ctx, http.MethodPost, "/hooks", api.HookOrder{URL: address}, &h)
}

// Hooks lists the addresses that are told.
func (c *Client) Hooks(ctx context.Context) (list []record.Hook, err error) {
	return list, c.send(ctx, http.MethodGet, "/hooks", nil, &list)
}

// Insights sums up what came in the last weeks; with a kind of finding, of the parts
// that had it as an error or a question.
func (c *Client) Insights(ctx context.Context, weeks int, kind string) (in record.Insights, err error) {
	return in, c.send(ctx, http.MethodGet, fmt.Sprintf("/insights?weeks=%d&finding=%s", weeks, url.QueryEscape(kind)), nil, &in)
}
