package api

import (
	"bytes"
	"encoding/csv"
	"net/http"
	"strconv"
	"time"

	"github.com/gin-gonic/gin"

	"veneer/bureau"
	"veneer/bureau/record"
)

// since is the Monday so many weeks ago that insights begin at; false when it answered
// already.
func since(g *gin.Context) (time.Time, bool) {
	weeks, err := strconv.Atoi(g.DefaultQuery("weeks", "12"))
	if err != nil || weeks < 1 || weeks > 520 {
		problem(g, http.StatusBadRequest, "weeks is a number from 1 to 520")
		return time.Time{}, false
	}
	now := time.Now().UTC()
	monday := time.Date(now.Year(), now.Month(), now.Day()-(int(now.Weekday())+6)%7, 0, 0, 0, 0, time.UTC)
	return monday.AddDate(0, 0, -7*(weeks-1)), true
}

func (s *server) insights(g *gin.Context) {
	if from, ok := since(g); ok {
		in, err := s.Bureau.Store.Insights(g.Request.Context(), from, g.Query("finding"))
		s.answer(g, in, err)
	}
}

func (s *server) insightsCSV(g *gin.Context) {
	from, ok := since(g)
	if !ok {
		return
	}
	in, err := s.Bureau.Store.Insights(g.Request.Context(), from, g.Query("finding"))
	if err != nil {
		s.fail(g, err)
		return
	}
	var b bytes.Buffer
	w := csv.NewWriter(&b)
	w.Write([]string{"about", "name", "parts", "pass as received", "mended", "errors left", "on hold", "rejected", "with errors or questions", "of them pass now", "signed off", "hours to sign-off", "material saved cm3"})
	n := strconv.Itoa
	hours := func(x *float64) string {
		if x == nil {
			return ""
		}
		return strconv.FormatFloat(*x, 'f', 2, 64)
	}
	for _, x := range in.Weeks {
		w.Write([]string{"week", x.Monday, n(x.Parts), n(x.Pass), n(x.Repaired), n(x.Repair), n(x.Hold), n(x.Reject), "", "", n(x.SignedOff), hours(x.HoursToSignOff), ""})
	}
	for _, f := range in.Findings {
		w.Write([]string{"finding", f.Kind, n(f.Parts), "", "", "", "", "", n(f.Parts), n(f.Settled), "", "", ""})
	}
	sources := func(about string, list []record.SourceTally) {
		for _, c := range list {
			w.Write([]string{about, bureau.PlainCell(c.Name), n(c.Parts), "", "", "", "", "", n(c.Troubled), "", "", "", ""})
		}
	}
	sources("customer", in.Customers)
	sources("format", in.Formats)
	for _, h := range in.Hollowed {
		w.Write([]string{"hollowed", h.Process, n(h.Parts), "", "", "", "", "", "", "", "", "", strconv.FormatFloat(h.VolumeMM3/1000, 'f', 2, 64)})
	}
	w.Flush()
	g.Writer.Header().Set("Content-Disposition", `attachment; filename="insights.csv"`)
	g.Data(http.StatusOK, csvType, b.Bytes())
}
