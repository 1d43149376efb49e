package report

import (
	"bytes"
	"fmt"
	"io"
	"slices"
	"strconv"
	"strings"
	"time"

	"github.com/go-pdf/fpdf"
	"golang.org/x/image/font/gofont/gobold"
	"golang.org/x/image/font/gofont/goregular"

	"veneer/core/check"
)

// A4 in mm, with its margins.
const (
	pageWide, pageHigh = 210.0, 297.0
	margin             = 18.0
	wide               = pageWide - 2*margin
	line               = 5.0
)

type colour [3]int

// The console's colours, on paper.
var (
	brand = colour{20, 66, 74}
	ink   = colour{30, 42, 46}
	quiet = colour{110, 120, 122}
	rule  = colour{220, 220, 210}
	marks = map[string]struct {
		letter string
		fill   colour
		words  string
	}{
		"pass":     {"P", colour{0, 108, 92}, "passes"},
		"repaired": {"M", colour{48, 150, 150}, "mended"},
		"repair":   {"E", colour{196, 140, 30}, "has errors"},
		"hold":     {"?", colour{40, 100, 160}, "on hold"},
		"reject":   {"x", colour{176, 38, 64}, "rejected"},
		"":         {"-", colour{110, 120, 122}, "not checked"},
	}
	severities = map[check.Severity]struct {
		letter string
		fill   colour
	}{
		check.Error: {"E", colour{176, 38, 64}}, check.Question: {"?", colour{40, 100, 160}}, check.Warning: {"W", colour{214, 160, 60}}, check.Note: {"n", colour{150, 158, 160}},
	}
)

// paper is a PDF being written.
type paper struct {
	*fpdf.Fpdf
	open func(sum string) (io.ReadCloser, error)
	n    int // pictures so far
}

func newPaper(title string, made time.Time, open func(string) (io.ReadCloser, error)) *paper {
	p := &paper{fpdf.New("P", "mm", "A4", ""), open, 0}
	p.AddUTF8FontFromBytes("go", "", goregular.TTF)
	p.AddUTF8FontFromBytes("go", "B", gobold.TTF)
	p.SetMargins(margin, margin+8, margin)
	p.SetAutoPageBreak(true, margin+6)
	p.SetTitle(title, true)
	p.SetCreator("Veneer", true)
	p.SetCreationDate(made)
	p.SetModificationDate(made)
	p.SetCatalogSort(true)
	p.AliasNbPages("")
	p.SetHeaderFunc(func() {
		p.SetFillColor(brand[0], brand[1], brand[2])
		p.Rect(0, 0, pageWide, 12, "F")
		p.SetXY(margin, 3)
		p.SetTextColor(243, 233, 214)
		p.SetFont("go", "B", 10)
		p.CellFormat(wide/2, 6, "Printability report", "", 0, "L", false, 0, "")
		p.SetFont("go", "", 9)
		p.CellFormat(wide/2, 6, p.fit(title, wide/2), "", 0, "R", false, 0, "")
		p.SetXY(margin, margin+8)
	})
	p.SetFooterFunc(func() {
		p.SetXY(margin, pageHigh-14)
		p.text("", 8, quiet)
		p.CellFormat(wide/2, 5, "Veneer, "+made.UTC().Format("2006-01-02 15:04 UTC"), "", 0, "L", false, 0, "")
		p.CellFormat(wide/2, 5, fmt.Sprintf("page %d of {nb}", p.PageNo()), "", 0, "R", false, 0, "")
	})
	return p
}

func (p *paper) text(style string, size float64, c colour) {
	p.SetFont("go", style, size)
	p.SetTextColor(c[0], c[1], c[2])
}

// fit cuts a text to a width.
func (p *paper) fit(s string, width float64) string {
	if p.GetStringWidth(s) <= width-1 {
		return s
	}
	r := []rune(s)
	for len(r) > 1 && p.GetStringWidth(string(r)+"…") > width-1 {
		r = r[:len(r)-1]
	}
	return string(r) + "…"
}

// headingHigh is how much of a page a heading takes.
const headingHigh = 12.5

// together begins a new page when what takes so many mm would not fit on this one, unless
// it would hardly fit on any.
func (p *paper) together(high float64) {
	if p.GetY()+high > pageHigh-margin-6 && high < pageHigh/2 {
		p.AddPage()
	}
}

// heading begins a section, on a new page when little room is left.
func (p *paper) heading(s string) {
	if p.GetY() > pageHigh-42 {
		p.AddPage()
	}
	p.Ln(4)
	p.text("B", 11.5, brand)
	p.CellFormat(wide, 7, s, "", 1, "L", false, 0, "")
	p.SetDrawColor(rule[0], rule[1], rule[2])
	p.Line(margin, p.GetY(), margin+wide, p.GetY())
	p.Ln(1.5)
}

// mark is a letter on its colour.
func (p *paper) mark(letter string, fill colour, x, y, size float64) {
	p.SetFillColor(fill[0], fill[1], fill[2])
	p.RoundedRect(x, y, size, size, size/5, "1234", "F")
	p.SetFont("go", "B", size*1.9)
	p.SetTextColor(255, 255, 255)
	p.SetXY(x, y)
	p.CellFormat(size, size, letter, "", 0, "CM", false, 0, "")
}

// pair is a name and what it is.
func (p *paper) pair(name, value string) {
	p.text("", 9, quiet)
	p.CellFormat(38, line, name, "", 0, "L", false, 0, "")
	p.text("", 9, ink)
	p.MultiCell(wide-38, line, value, "", "L", false)
}

// picture puts one of the vault's pictures into a frame, as large as it fits.
func (p *paper) picture(sum, under string, x, y, w, h float64) error {
	p.SetDrawColor(rule[0], rule[1], rule[2])
	p.RoundedRect(x, y, w, h, 2, "1234", "D")
	if sum != "" {
		f, err := p.open(sum)
		if err != nil {
			return err
		}
		content, err := io.ReadAll(f)
		f.Close()
		if err != nil {
			return err
		}
		p.n++
		name := strconv.Itoa(p.n)
		info := p.RegisterImageOptionsReader(name, fpdf.ImageOptions{ImageType: "PNG"}, bytes.NewReader(content))
		if p.Err() {
			return p.Error()
		}
		room := h - 2
		if under != "" {
			room = h - 12
		}
		scale := min((w-2)/info.Width(), room/info.Height())
		p.ImageOptions(name, x+(w-scale*info.Width())/2, y+1+(room-scale*info.Height())/2, scale*info.Width(), scale*info.Height(), false, fpdf.ImageOptions{ImageType: "PNG"}, 0, "")
	}
	p.SetXY(x, y+h-7)
	p.text("", 8, quiet)
	p.CellFormat(w, 5, under, "", 0, "C", false, 0, "")
	return nil
}

// PDF prints a part's report. Pictures are taken by their hashes from open.
func (r *Part) PDF(w io.Writer, open func(sum string) (io.ReadCloser, error)) error {
	p := newPaper(r.Part.Name, r.Made, open)
	if err := r.print(p); err != nil {
		return err
	}
	return p.Output(w)
}

// limits are those of the process that a part was checked against, in a few words.
func (r *Part) limits() string {
	l := r.Process
	return fmt.Sprintf("walls from %.3g mm, detail from %.3g mm, layers of %.3g mm", l.WallMM, l.DetailMM, l.LayerMM)
}

// print adds the report's pages.
func (r *Part) print(p *paper) error {
	p.AddPage()
	what := r.Verdict
	if r.Part.Mended() {
		what = "repaired"
	}
	m := marks[what]
	top := p.GetY()
	p.mark(m.letter, m.fill, margin, top+0.5, 8)
	p.SetXY(margin+11, top)
	p.text("B", 17, ink)
	p.CellFormat(wide-11, 9, p.fit(r.Part.Name, wide-11), "", 1, "L", false, 0, "")
	p.SetX(margin)
	p.Ln(1)
	p.text("", 10.5, ink)
	p.MultiCell(wide, 5.5, r.Says, "", "L", false)
	p.Ln(2)
	by := ""
	if r.Batch.CreatedBy != "" {
		by = ", by " + r.Batch.CreatedBy
	}
	p.pair("Order", r.Batch.Name+" for "+r.Batch.Customer)
	p.pair("Received", r.Batch.CreatedAt.UTC().Format("2006-01-02 15:04 UTC")+by+", "+strings.TrimPrefix(r.Part.Format+", ", ", ")+bytesIn(r.Part.Bytes))
	p.pair("Process", r.Process.Title+": "+r.limits())
	if r.Received != nil {
		y, h := p.GetY()+3, 62.0
		after := "as handed over"
		if r.Part.Current == 0 {
			after = "the part"
		}
		frames := []struct{ sum, under string }{{r.Pictures.Before, "as received"}, {r.Pictures.Marked, "errors marked"}, {r.Pictures.After, after}}
		if r.Pictures.Marked == "" {
			frames = append(frames[:1], frames[2])
		}
		if r.Part.Current == 0 {
			frames = frames[:len(frames)-1]
		}
		each := (wide - 4*float64(len(frames)-1)) / float64(len(frames))
		each = min(each, 86)
		for i, f := range frames {
			if err := p.picture(f.sum, f.under, margin+float64(i)*(each+4), y, each, h); err != nil {
				return err
			}
		}
		p.SetXY(margin, y+h+2)
		r.measures(p)
		r.found(p)
	}
	r.did(p)
	r.decided(p)
	r.written(p)
	return p.Error()
}

func (r *Part) measures(p *paper) {
	g, u := r.Now.Geometry, r.Received.Unit
	p.heading("The part")
	p.pair("Size", fmt.Sprintf("%s × %s × %s mm", digits(g.SizeMM[0]), digits(g.SizeMM[1]), digits(g.SizeMM[2])))
	unit := u.Chosen
	switch {
	case r.Part.UnitSet != "":
		unit += ", as was decided"
	case u.Declared != nil:
		unit += ", as the file says"
	case len(u.Candidates) > 0 && len(u.Candidates[0].Evidence) > 0:
		unit += fmt.Sprintf(" (%.0f %%): %s", 100*u.Confidence, strings.Join(u.Candidates[0].Evidence, "; "))
	}
	p.pair("Unit of the file", unit)
	if g.VolumeMM3 != nil {
		p.pair("Volume", digits(*g.VolumeMM3/1000)+" cm³, surface "+digits(g.AreaMM2/100)+" cm²")
	}
	if m := r.Now.Material; m != nil {
		p.pair("Material if solid", fmt.Sprintf("%s g, %.2f at the process's price", digits(m.Grams), m.Price))
	}
	p.pair("Mesh", fmt.Sprintf("%s triangles, %s", thousands(g.Triangles), counted(g.Shells, "shell")))
	r.strip(p)
}

// strip draws the part's height as a band, with the findings where they lie.
func (r *Part) strip(p *paper) {
	low, tall := r.Received.Geometry.MinMM[2], r.Received.Geometry.SizeMM[2]
	if tall <= 0 || len(r.Received.Findings) == 0 {
		return
	}
	p.pair("Findings by height", fmt.Sprintf("as received, from %s to %s mm", digits(low), digits(low+tall)))
	x, y, w := margin+38.0, p.GetY()+0.5, wide-38
	const lane = 1.5
	p.SetFillColor(244, 243, 238)
	p.Rect(x, y, w, lane*float64(len(lanes)), "F")
	for _, f := range r.Received.Findings {
		c := severities[f.Severity].fill
		at := y + lane*float64(slices.Index(lanes, f.Severity))
		p.SetFillColor(c[0], c[1], c[2])
		for _, place := range f.Places {
			from, to := place.AtMM[2]-place.SizeMM/2, place.AtMM[2]+place.SizeMM/2
			for i, q := range place.LineMM {
				if i == 0 {
					from, to = q[2], q[2]
				}
				from, to = min(from, q[2]), max(to, q[2])
			}
			a, b := max(0, (from-low)/tall), min(1, (to-low)/tall)
			p.Rect(x+a*w, at, max((b-a)*w, 0.4), lane, "F")
		}
	}
	p.SetXY(margin, y+8)
}

// lanes are the rows of the strip.
var lanes = []check.Severity{check.Error, check.Question, check.Warning, check.Note}

func (r *Part) found(p *paper) {
	p.heading("What was found, and what is left")
	if len(r.Findings) == 0 {
		p.text("", 9, ink)
		p.MultiCell(wide, line, "Nothing.", "", "L", false)
		return
	}
	for _, f := range r.Findings {
		if p.GetY() > pageHigh-45 {
			p.AddPage()
		}
		s := severities[f.Severity]
		y := p.GetY()
		p.mark(s.letter, s.fill, margin, y+0.4, 4.2)
		p.SetXY(margin+7, y)
		p.text("B", 9.5, ink)
		p.CellFormat(wide-47, line, p.fit(f.Title, wide-47), "", 0, "L", false, 0, "")
		p.text("", 9, ink)
		left := fmt.Sprintf("%s, now %s", thousands(f.Before), thousands(f.After))
		if f.After == f.Before {
			left = thousands(f.Before) + ", unchanged"
		}
		p.CellFormat(40, line, left, "", 1, "R", false, 0, "")
		p.SetX(margin + 7)
		p.text("", 8.5, quiet)
		words := f.Summary + ". "
		if f.After == 0 {
			words = f.What
		} else {
			words += f.Harm
		}
		p.MultiCell(wide-7, 4.3, words, "", "L", false)
		p.Ln(1.2)
	}
}

func (r *Part) did(p *paper) {
	if len(r.Done) == 0 {
		return
	}
	type block struct {
		title string
		steps []string
		moved string
	}
	var list []block
	for _, d := range r.Done {
		b := block{title: fmt.Sprintf("r%d, %s", d.Revision, d.Method)}
		for _, s := range d.Steps {
			words := s.Title + ": " + s.Detail
			if s.Undone != "" {
				words = s.Title + ": undone, for " + s.Undone
			} else if s.Left != "" {
				words += " (" + s.Left + ")"
			}
			b.steps = append(b.steps, words)
		}
		if d.Deviation != nil {
			b.moved = fmt.Sprintf("The surface moved by %s mm at most, %s mm on average; %s triangles.", digits(d.Deviation.Max), digits(d.Deviation.Mean), thousands(d.Triangles))
		}
		list = append(list, b)
	}
	const high, in = 4.6, 4.0
	for i, b := range list {
		p.text("", 9, ink)
		lines := 0
		for _, s := range append(b.steps, b.moved) {
			lines += len(p.SplitText(s, wide-in))
		}
		needs := float64(lines)*high + line
		if i == 0 {
			needs += headingHigh
		}
		p.together(needs)
		if i == 0 {
			p.heading("What was done")
		}
		p.text("B", 9.5, ink)
		p.CellFormat(wide, line, b.title, "", 1, "L", false, 0, "")
		for _, s := range b.steps {
			p.SetX(margin + in)
			p.text("", 9, ink)
			p.MultiCell(wide-in, high, s, "", "L", false)
		}
		if b.moved != "" {
			p.SetX(margin + in)
			p.text("", 9, quiet)
			p.MultiCell(wide-in, high, b.moved, "", "L", false)
		}
		p.Ln(1)
	}
}

func (r *Part) decided(p *paper) {
	if len(r.Answers) == 0 && len(r.Signoffs) == 0 {
		return
	}
	p.heading("Who decided what")
	who := func(by string, at time.Time) string {
		if by != "" {
			by = ", " + by
		}
		return by + ", " + at.UTC().Format("2006-01-02 15:04 UTC")
	}
	for _, a := range r.Answers {
		p.pair(strings.ReplaceAll(a.Question, "-", " "), a.Answer+who(a.By, a.At))
	}
	for _, s := range r.Signoffs {
		at, by := s.ProposedAt, s.ProposedBy
		if s.DecidedAt != nil {
			at, by = *s.DecidedAt, s.DecidedBy
		}
		words := fmt.Sprintf("r%d %s%s", s.Revision, s.State, who(by, at))
		if s.Remark != "" {
			words += ": " + s.Remark
		}
		p.pair("sign-off", words)
	}
}

func (r *Part) written(p *paper) {
	if len(r.Notes) == 0 {
		return
	}
	p.heading("Notes")
	for _, n := range r.Notes {
		p.text("", 9, ink)
		p.MultiCell(wide, 4.6, n.Text, "", "L", false)
		p.text("", 8, quiet)
		p.MultiCell(wide, 4.2, n.CreatedBy+", "+n.CreatedAt.UTC().Format("2006-01-02 15:04 UTC"), "", "L", false)
		p.Ln(1)
	}
}

// BatchPDF prints a batch: a page or more that lists its parts, then each part's report.
func BatchPDF(w io.Writer, parts []*Part, open func(sum string) (io.ReadCloser, error)) error {
	if len(parts) == 0 {
		return fmt.Errorf("the batch has no parts")
	}
	b := parts[0].Batch
	p := newPaper(b.Name, parts[0].Made, open)
	p.AddPage()
	p.text("B", 17, ink)
	p.CellFormat(wide, 9, p.fit(b.Name, wide), "", 1, "L", false, 0, "")
	p.Ln(1)
	p.pair("Customer", b.Customer)
	p.pair("Received", b.CreatedAt.UTC().Format("2006-01-02 15:04 UTC"))
	p.pair("Process", parts[0].Process.Title)
	c := b.Counts
	var words []string
	for _, x := range []struct {
		n    int
		what string
	}{{c.Pass, "as received"}, {c.Repaired, "mended"}, {c.Repair, "with errors left"}, {c.Hold, "on hold"}, {c.Reject, "rejected"}, {c.Failed, "failed"}} {
		if x.n > 0 {
			words = append(words, fmt.Sprintf("%d %s", x.n, x.what))
		}
	}
	p.pair("Parts", fmt.Sprintf("%d: %s", c.Parts, strings.Join(words, ", ")))
	p.heading("Parts")
	for _, r := range parts {
		if err := r.row(p); err != nil {
			return err
		}
	}
	for _, r := range parts {
		if err := r.print(p); err != nil {
			return err
		}
	}
	return p.Output(w)
}

// row is a part's line in its batch's list.
func (r *Part) row(p *paper) error {
	const high = 16.0
	p.together(high)
	y := p.GetY()
	if r.Pictures.After != "" {
		if err := p.picture(r.Pictures.After, "", margin, y, 22, high-1); err != nil {
			return err
		}
	}
	what := r.Verdict
	if r.Part.Mended() {
		what = "repaired"
	}
	m := marks[what]
	p.mark(m.letter, m.fill, margin+26, y+1.5, 4.2)
	p.SetXY(margin+32, y+1)
	p.text("B", 9.5, ink)
	p.CellFormat(wide-82, line, p.fit(r.Part.Name, wide-82), "", 0, "L", false, 0, "")
	p.text("", 9, ink)
	size := ""
	if r.Now != nil {
		s := r.Now.Geometry.SizeMM
		size = fmt.Sprintf("%s × %s × %s mm", digits(s[0]), digits(s[1]), digits(s[2]))
	}
	p.CellFormat(50, line, size, "", 0, "R", false, 0, "")
	p.SetXY(margin+32, y+6)
	p.text("", 8.5, quiet)
	p.MultiCell(wide-32, 4.2, p.fit(r.Says, 1.9*(wide-32)), "", "L", false)
	p.SetXY(margin, y+high)
	return nil
}

// digits keeps about three digits.
func digits(x float64) string {
	size := x
	if size < 0 {
		size = -size
	}
	places := 3
	switch {
	case size >= 100:
		places = 0
	case size >= 10:
		places = 1
	case size >= 1:
		places = 2
	}
	s := strconv.FormatFloat(x, 'f', places, 64)
	if strings.Contains(s, ".") {
		s = strings.TrimRight(strings.TrimRight(s, "0"), ".")
	}
	return s
}

func thousands(n int) string {
	s := strconv.Itoa(n)
	for i := len(s) - 3; i > 0; i -= 3 {
		s = s[:i] + "\u00a0" + s[i:]
	}
	return s
}

func counted(n int, what string) string {
	if n != 1 {
		what += "s"
	}
	return thousands(n) + " " + what
}

func bytesIn(n int64) string {
	if n < 1_000_000 {
		return fmt.Sprintf("%d kB", max(n/1000, 1))
	}
	return fmt.Sprintf("%.1f MB", float64(n)/1e6)
}
