package bureau

import (
	"archive/zip"
	"context"
	"encoding/csv"
	"fmt"
	"io"
	"path/filepath"
	"slices"
	"strconv"
	"strings"

	"veneer/bureau/record"
	"veneer/core/check"
)

// Export writes a zip with the newest file and the report of each part of a batch
// that could be read, and a table of all of them: those that are listed, or all for
// nil. Names that several parts have in common get their parts' numbers.
func (b *Bureau) Export(ctx context.Context, batch int64, list []int64, out io.Writer) error {
	z := zip.NewWriter(out)
	used := map[string]bool{}
	unlike := func(name string, part int64) string {
		if used[strings.ToLower(name)] {
			ext := filepath.Ext(name)
			name = fmt.Sprintf("%s-part%d%s", strings.TrimSuffix(name, ext), part, ext)
		}
		used[strings.ToLower(name)] = true
		return name
	}
	rows, err := b.rows(ctx, batch, list, func(r record.Revision) (string, error) {
		name := unlike(r.FileName, r.PartID)
		return name, b.exportRevision(z, r, name)
	})
	if err != nil {
		return err
	}
	w, err := z.Create("parts.csv")
	if err != nil {
		return err
	}
	if err := writeTable(w, rows); err != nil {
		return err
	}
	return z.Close()
}

// columns head the table of a batch's parts.
var columns = []string{"part", "file", "verdict", "revision", "handed over as", "unit", "size x mm", "size y mm", "size z mm", "triangles", "volume mm3", "found as received", "left", "signed off"}

// Table writes a batch's parts as CSV.
func (b *Bureau) Table(ctx context.Context, batch int64, out io.Writer) error {
	if _, err := b.Store.Batch(ctx, batch); err != nil {
		return err
	}
	rows, err := b.rows(ctx, batch, nil, func(r record.Revision) (string, error) { return r.FileName, nil })
	if err != nil {
		return err
	}
	return writeTable(out, rows)
}

// rows are the table of a batch's parts, of those that are listed or of all for nil.
// hand is called for each revision that there is a file of to hand over, and says
// under which name that is.
func (b *Bureau) rows(ctx context.Context, batch int64, list []int64, hand func(record.Revision) (string, error)) ([][]string, error) {
	parts, err := b.Store.Parts(ctx, batch)
	if err != nil {
		return nil, err
	}
	rows := [][]string{columns}
	for _, p := range parts {
		if list != nil && !slices.Contains(list, p.ID) {
			continue
		}
		row, err := b.row(ctx, p, hand)
		if err != nil {
			return nil, fmt.Errorf("%s: %w", p.Name, err)
		}
		rows = append(rows, row)
	}
	return rows, nil
}

// PlainCell is a cell of a table that no table program takes for a formula.
func PlainCell(cell string) string {
	if cell != "" && strings.ContainsRune("=+-@\t\r", rune(cell[0])) {
		return "'" + cell
	}
	return cell
}

func writeTable(out io.Writer, rows [][]string) error {
	for _, row := range rows {
		for i, cell := range row {
			row[i] = PlainCell(cell)
		}
	}
	return csv.NewWriter(out).WriteAll(rows)
}

// row is a part's row of the table.
func (b *Bureau) row(ctx context.Context, p record.Part, hand func(record.Revision) (string, error)) ([]string, error) {
	row := []string{strconv.FormatInt(p.ID, 10), p.Name, p.Verdict, strconv.Itoa(p.Current), "", "", "", "", "", "", "", "", p.Problem, p.Signed}
	r, err := b.Store.Revision(ctx, p.ID, p.Current)
	if err != nil || r.Report == nil || r.Verdict == string(check.Reject) {
		return row, err
	}
	report, err := r.Checked()
	if err != nil {
		return nil, err
	}
	if row[4], err = hand(r); err != nil {
		return nil, err
	}
	row[5] = report.Unit.Chosen
	for k, mm := range report.Geometry.SizeMM {
		row[6+k] = strconv.FormatFloat(mm, 'g', 6, 64)
	}
	row[9] = strconv.Itoa(report.Geometry.Triangles)
	if v := report.Geometry.VolumeMM3; v != nil {
		row[10] = strconv.FormatFloat(*v, 'g', 6, 64)
	}
	var found, left []string
	for _, f := range p.Findings {
		found = append(found, fmt.Sprintf("%d %s", f.Count, f.Kind))
	}
	for _, f := range report.Findings {
		left = append(left, fmt.Sprintf("%d %s", f.Count, f.Kind))
	}
	row[11], row[12] = strings.Join(found, "; "), strings.Join(left, "; ")
	return row, nil
}

// exportRevision adds a revision's file and report to the zip.
func (b *Bureau) exportRevision(z *zip.Writer, r record.Revision, name string) error {
	f, err := b.Vault.Open(r.FileSHA256)
	if err != nil {
		return err
	}
	defer f.Close()
	w, err := z.CreateHeader(&zip.FileHeader{Name: name, Method: zip.Deflate, Modified: r.CreatedAt})
	if err != nil {
		return err
	}
	if _, err := io.Copy(w, f); err != nil {
		return err
	}
	if w, err = z.CreateHeader(&zip.FileHeader{Name: "reports/" + name + ".report.json", Method: zip.Deflate, Modified: r.CreatedAt}); err != nil {
		return err
	}
	_, err = w.Write(r.Report)
	return err
}
