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
)

// Export writes a zip with the newest file and the report of each part of a batch
// that could be read, and a table of all of them: those that are listed, or all for
// nil. Names that several parts have in common get their parts' numbers.
func (b *Bureau) Export(ctx context.Context, batch int64, list []int64, out io.Writer) error {
	parts, err := b.Store.Parts(ctx, batch)
	if err != nil {
		return err
	}
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
	rows := [][]string{{"part", "file", "verdict", "revision", "handed over as", "unit", "size x mm", "size y mm", "size z mm", "triangles", "volume mm3", "found as received", "left"}}
	for _, p := range parts {
		if list != nil && !slices.Contains(list, p.ID) {
			continue
		}
		row, err := b.exportPart(ctx, z, p, unlike)
		if err != nil {
			return fmt.Errorf("%s: %w", p.Name, err)
		}
		rows = append(rows, row)
	}
	w, err := z.Create("parts.csv")
	if err != nil {
		return err
	}
	table := csv.NewWriter(w)
	for _, row := range rows {
		for i, cell := range row { // a table program must not take a name for a formula
			if cell != "" && strings.ContainsRune("=+-@\t\r", rune(cell[0])) {
				row[i] = "'" + cell
			}
		}
	}
	if err := table.WriteAll(rows); err != nil {
		return err
	}
	return z.Close()
}

// exportPart adds one part to the zip, and returns its row of the table.
func (b *Bureau) exportPart(ctx context.Context, z *zip.Writer, p record.Part, unlike func(string, int64) string) ([]string, error) {
	row := []string{strconv.FormatInt(p.ID, 10), p.Name, p.Verdict, strconv.Itoa(p.Current), "", "", "", "", "", "", "", "", p.Problem}
	r, err := b.Store.Revision(ctx, p.ID, p.Current)
	if err != nil {
		return nil, err
	}
	if r.Report == nil || r.Verdict == "reject" {
		return row, nil
	}
	report, err := b.Report(ctx, p.ID, p.Current)
	if err != nil {
		return nil, err
	}
	name := unlike(r.FileName, p.ID)
	row[4], row[5] = name, report.Unit.Chosen
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

	f, err := b.Vault.Open(r.FileSHA256)
	if err != nil {
		return nil, err
	}
	defer f.Close()
	w, err := z.CreateHeader(&zip.FileHeader{Name: name, Method: zip.Deflate, Modified: r.CreatedAt})
	if err != nil {
		return nil, err
	}
	if _, err := io.Copy(w, f); err != nil {
		return nil, err
	}
	if w, err = z.CreateHeader(&zip.FileHeader{Name: "reports/" + name + ".report.json", Method: zip.Deflate, Modified: r.CreatedAt}); err != nil {
		return nil, err
	}
	_, err = w.Write(r.Report)
	return row, err
}
