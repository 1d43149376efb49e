package api

import (
	"encoding/json"
	"net/http"
	"strings"

	"github.com/gin-gonic/gin"

	"veneer/bureau/record"
)

// StudyOrder asks for something to be worked out: what differs between two revisions,
// or how light one may be.
type StudyOrder struct {
	Kind record.StudyKind `json:"kind"`
	From int              `json:"from"`
	To   int              `json:"to,omitempty"`
}

func (s *server) ask(g *gin.Context) {
	var in StudyOrder
	if n, ok := id(g, "part"); ok && order(g, &in) {
		study, err := s.Bureau.Study(g.Request.Context(), person(g).Name, n, in.Kind, in.From, in.To)
		s.answer(g, study, err)
	}
}

// found is the study that the address names; false when it answered already.
func (s *server) found(g *gin.Context) (study record.Study, ok bool) {
	part, ok := id(g, "part")
	if !ok {
		return study, false
	}
	number, ok := id(g, "study")
	if !ok {
		return study, false
	}
	study, err := s.Bureau.Store.Study(g.Request.Context(), part, number)
	if err != nil {
		s.fail(g, err)
		return study, false
	}
	return study, true
}

func (s *server) study(g *gin.Context) {
	if study, ok := s.found(g); ok {
		g.JSON(http.StatusOK, study)
	}
}

func (s *server) studyFile(g *gin.Context) {
	study, ok := s.found(g)
	if !ok {
		return
	}
	var files map[string]string
	if err := json.Unmarshal(study.Files, &files); err != nil {
		s.fail(g, err)
		return
	}
	kind := bytesType
	if strings.HasSuffix(g.Param("name"), ".png") {
		kind = pngType
	}
	s.serve(g, files[g.Param("name")], kind)
}
