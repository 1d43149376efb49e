package api

import (
	"net/http"
	"time"

	"github.com/gin-gonic/gin"

	"veneer/bureau/record"
)

// FirstOrder lets the first administrator in.
type FirstOrder struct {
	Code     string `json:"code"`
	Name     string `json:"name"`
	Password string `json:"password"`
}

// Waiting tells whether the service waits for its first administrator.
type Waiting struct {
	First bool `json:"first"`
}

// PersonOrder is what an administrator says of somebody.
type PersonOrder struct {
	Name     string      `json:"name,omitempty"` // of somebody new
	Role     record.Role `json:"role"`
	Active   *bool       `json:"active,omitempty"`
	Password string      `json:"password,omitempty"`
}

// TokenOrder asks for a personal token.
type TokenOrder struct {
	Name  string       `json:"name"`
	Scope record.Scope `json:"scope"`
	Days  int          `json:"days"`
}

// NewToken is a token as it is told once.
type NewToken struct {
	Token  string       `json:"token"`
	Record record.Token `json:"record"`
}

func (s *server) waiting(g *gin.Context) {
	n, err := s.Bureau.Store.People(g.Request.Context())
	s.answer(g, Waiting{n == 0 && s.Bureau.FirstCode != ""}, err)
}

func (s *server) first(g *gin.Context) {
	var in FirstOrder
	if !order(g, &in) {
		return
	}
	if !s.knocks.allow(g.ClientIP(), time.Now()) {
		problem(g, http.StatusTooManyRequests, "too many tries; wait a minute")
		return
	}
	s.signIns <- struct{}{}
	err := s.Bureau.First(g.Request.Context(), in.Code, in.Name, in.Password)
	<-s.signIns
	if err != nil {
		s.fail(g, err)
		return
	}
	g.Status(http.StatusCreated)
}

func (s *server) people(g *gin.Context) {
	list, err := s.Bureau.Store.EveryPerson(g.Request.Context())
	s.answer(g, list, err)
}

func (s *server) addPerson(g *gin.Context) {
	var in PersonOrder
	if order(g, &in) {
		if err := s.Bureau.AddPerson(g.Request.Context(), person(g).Name, in.Name, in.Password, in.Role); err != nil {
			s.fail(g, err)
			return
		}
		g.Status(http.StatusCreated)
	}
}

func (s *server) changePerson(g *gin.Context) {
	var in PersonOrder
	if n, ok := id(g, "person"); ok && order(g, &in) {
		s.accept(g, s.Bureau.ChangePerson(g.Request.Context(), person(g).Name, n, in.Role, in.Active == nil || *in.Active, in.Password))
	}
}

func (s *server) tokens(g *gin.Context) {
	list, err := s.Bureau.Store.Tokens(g.Request.Context(), person(g).ID)
	s.answer(g, list, err)
}

func (s *server) addToken(g *gin.Context) {
	var in TokenOrder
	if order(g, &in) {
		token, t, err := s.Bureau.NewToken(g.Request.Context(), person(g), in.Name, in.Scope, in.Days)
		if err != nil {
			s.fail(g, err)
			return
		}
		g.JSON(http.StatusCreated, NewToken{token, t})
	}
}

func (s *server) endToken(g *gin.Context) {
	if n, ok := id(g, "token"); ok {
		if err := s.Bureau.Store.EndToken(g.Request.Context(), person(g).Name, person(g).ID, n); err != nil {
			s.fail(g, err)
			return
		}
		g.Status(http.StatusNoContent)
	}
}
