package api

import (
	"fmt"
	"net/http"

	"github.com/gin-gonic/gin"

	"veneer/core/process"
)

func (s *server) processes(g *gin.Context) {
	list, err := s.Bureau.Store.Processes(g.Request.Context())
	s.answer(g, list, err)
}

func (s *server) setProcess(g *gin.Context) {
	var in process.Process
	if !order(g, &in) {
		return
	}
	if name := g.Param("process"); in.Name != name {
		problem(g, http.StatusBadRequest, fmt.Sprintf("the address says %q and the process %q", name, in.Name))
		return
	}
	s.accept(g, s.Bureau.SetProcess(g.Request.Context(), person(g).Name, in))
}

func (s *server) resetProcess(g *gin.Context) {
	s.accept(g, s.Bureau.Store.ResetProcess(g.Request.Context(), person(g).Name, g.Param("process")))
}
