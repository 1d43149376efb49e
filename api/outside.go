package api

import (
	"net/http"

	"github.com/gin-gonic/gin"

	"veneer/bureau/record"
)

// LinkOrder asks for an address that shows one part to whoever has it.
type LinkOrder struct {
	Days int `json:"days"`
}

// NewLink is a link as it is told once: the page's path below the service's address.
type NewLink struct {
	Path string `json:"path"`
}

// HookOrder names an address that is told what happens.
type HookOrder struct {
	URL string `json:"url"`
}

// NewHook is a hook with the secret by which its posts are signed, as it is told once.
type NewHook struct {
	Hook   record.Hook `json:"hook"`
	Secret string      `json:"secret"`
}

func (s *server) addLink(g *gin.Context) {
	var in LinkOrder
	if n, ok := id(g, "part"); ok && order(g, &in) {
		token, err := s.Bureau.NewLink(g.Request.Context(), person(g).Name, n, in.Days)
		if err != nil {
			s.fail(g, err)
			return
		}
		g.JSON(http.StatusCreated, NewLink{"/shared/" + token})
	}
}

func (s *server) links(g *gin.Context) {
	if n, ok := id(g, "part"); ok {
		list, err := s.Bureau.Store.Links(g.Request.Context(), n)
		s.answer(g, list, err)
	}
}

func (s *server) endLinks(g *gin.Context) {
	if n, ok := id(g, "part"); ok {
		s.accept(g, s.Bureau.Store.EndLink(g.Request.Context(), person(g).Name, n, 0))
	}
}

func (s *server) endLink(g *gin.Context) {
	if n, ok := id(g, "part"); ok {
		if link, ok := id(g, "link"); ok {
			s.accept(g, s.Bureau.Store.EndLink(g.Request.Context(), person(g).Name, n, link))
		}
	}
}

// shared is the part that the address's link shows; false when it answered already.
func (s *server) shared(g *gin.Context) (part int64, ok bool) {
	g.Header("Cache-Control", "private, no-store")
	g.Header("X-Robots-Tag", "noindex")
	part, err := s.Bureau.Linked(g.Request.Context(), g.Param("link"))
	if err != nil {
		s.fail(g, err)
		return 0, false
	}
	return part, true
}

func (s *server) sharedReport(g *gin.Context) {
	if part, ok := s.shared(g); ok {
		r, err := s.Bureau.PartReport(g.Request.Context(), part, true)
		s.answer(g, r, err)
	}
}

func (s *server) sharedPDF(g *gin.Context) {
	if part, ok := s.shared(g); ok {
		s.sendPartPDF(g, part, true)
	}
}

// sharedThing sends a file or a picture of the part that a link shows: as received, or
// as it is now.
func (s *server) sharedThing(g *gin.Context) {
	part, ok := s.shared(g)
	if !ok {
		return
	}
	ctx := g.Request.Context()
	p, err := s.Bureau.Store.Part(ctx, part)
	if err != nil {
		s.fail(g, err)
		return
	}
	number := p.Current
	if g.Query("received") != "" {
		number = 0
	}
	r, err := s.Bureau.Store.Revision(ctx, part, number)
	switch {
	case err != nil:
		s.fail(g, err)
	case g.Param("thing") == "file":
		s.sendFile(g, r)
	case g.Param("thing") == "picture":
		s.serve(g, r.PictureSHA, pngType)
	default:
		problem(g, http.StatusNotFound, "a link shows a file and a picture")
	}
}

func (s *server) hooks(g *gin.Context) {
	list, err := s.Bureau.Store.Hooks(g.Request.Context())
	s.answer(g, list, err)
}

func (s *server) addHook(g *gin.Context) {
	var in HookOrder
	if order(g, &in) {
		h, key, err := s.Bureau.NewHook(g.Request.Context(), person(g).Name, in.URL)
		if err != nil {
			s.fail(g, err)
			return
		}
		g.JSON(http.StatusCreated, NewHook{h, key})
	}
}

func (s *server) endHook(g *gin.Context) {
	if n, ok := id(g, "hook"); ok {
		if err := s.Bureau.Store.EndHook(g.Request.Context(), person(g).Name, n); err != nil {
			s.fail(g, err)
			return
		}
		g.Status(http.StatusNoContent)
	}
}
