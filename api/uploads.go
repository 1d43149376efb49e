package api

import (
	"net/http"
	"strconv"

	"github.com/gin-gonic/gin"
)

// UploadOrder announces a file that comes in pieces.
type UploadOrder struct {
	Name  string `json:"name"`
	Bytes int64  `json:"bytes"`
}

func (s *server) beginUpload(g *gin.Context) {
	var in UploadOrder
	if !order(g, &in) {
		return
	}
	up, err := s.Bureau.Uploads.Begin(person(g).Name, in.Name, in.Bytes, s.Bureau.Limits.Bytes)
	if err != nil {
		s.fail(g, err)
		return
	}
	g.Header("Location", "/api/v1/uploads/"+up.ID)
	g.JSON(http.StatusCreated, up)
}

func (s *server) upload(g *gin.Context) {
	up, err := s.Bureau.Uploads.Find(person(g).Name, g.Param("upload"))
	s.answer(g, up, err)
}

// addToUpload takes a piece of any length. A connection that breaks keeps what came
// through; who asks how far the upload is can go on from there.
func (s *server) addToUpload(g *gin.Context) {
	offset, err := strconv.ParseInt(g.Query("offset"), 10, 64)
	if err != nil {
		problem(g, http.StatusBadRequest, "say with ?offset= where the piece begins")
		return
	}
	up, err := s.Bureau.Uploads.Add(person(g).Name, g.Param("upload"), offset, g.Request.Body)
	s.answer(g, up, err)
}
