package api

import (
	"errors"
	"net/http"
	"net/url"
	"strings"
	"time"

	"github.com/gin-gonic/gin"

	"veneer/bureau/record"
	"veneer/bureau/store"
)

const cookieName = "veneer_session"

// SignIn is the answer to a sign-in; the token serves programs, the cookie
// that comes with it the console.
type SignIn struct {
	Token  string        `json:"token"`
	Person record.Person `json:"person"`
}

// Credentials are what somebody signs in with.
type Credentials struct {
	Name     string `json:"name"`
	Password string `json:"password"`
}

func (s *server) signIn(g *gin.Context) {
	var in Credentials
	g.Request.Body = http.MaxBytesReader(g.Writer, g.Request.Body, 4096)
	if !order(g, &in) {
		return
	}
	if !s.knocks.allow(g.ClientIP(), time.Now()) {
		problem(g, http.StatusTooManyRequests, "too many sign-ins from this address; wait a minute")
		return
	}
	s.signIns <- struct{}{}
	token, person, err := s.Bureau.SignIn(g.Request.Context(), in.Name, in.Password)
	<-s.signIns
	if err != nil {
		s.fail(g, err)
		return
	}
	s.cookie(g, token, int(s.Bureau.Session.Seconds()))
	g.JSON(http.StatusOK, SignIn{token, person})
}

func (s *server) cookie(g *gin.Context, token string, seconds int) {
	http.SetCookie(g.Writer, &http.Cookie{Name: cookieName, Value: token, Path: "/", MaxAge: seconds,
		HttpOnly: true, Secure: s.Secure, SameSite: http.SameSiteStrictMode})
}

func token(r *http.Request) string {
	if bearer, ok := strings.CutPrefix(r.Header.Get("Authorization"), "Bearer "); ok {
		return bearer
	}
	if c, err := r.Cookie(cookieName); err == nil {
		return c.Value
	}
	return ""
}

// signedIn lets only those through whose token holds.
func (s *server) signedIn(g *gin.Context) {
	person, scope, err := s.Bureau.Who(g.Request.Context(), token(g.Request))
	switch {
	case errors.Is(err, store.ErrNotFound):
		problem(g, http.StatusUnauthorized, "sign in first")
	case err != nil:
		s.fail(g, err)
	case !s.calls.allow(person.Name, time.Now()):
		g.Header("Retry-After", "1")
		problem(g, http.StatusTooManyRequests, "more calls than anybody may make; wait a second")
	default:
		g.Set("person", person)
		g.Set("scope", scope)
		g.Next()
	}
}

func person(g *gin.Context) record.Person { return g.MustGet("person").(record.Person) }

// atLeast keeps those out who may not do as much, and tokens that are for looking only.
func atLeast(role record.Role) gin.HandlerFunc {
	return func(g *gin.Context) {
		switch {
		case !person(g).Role.AtLeast(role):
			problem(g, http.StatusForbidden, "that takes a "+string(role)+"; you are a "+string(person(g).Role))
		case g.MustGet("scope").(record.Scope) == record.Reading:
			problem(g, http.StatusForbidden, "this token is for reading only")
		default:
			g.Next()
		}
	}
}

// sameSite refuses changes that another site's page asks a browser for. Calls
// with a token of their own carry no cookie and are no danger.
func sameSite(g *gin.Context) {
	r := g.Request
	if r.Method == http.MethodGet || r.Method == http.MethodHead || r.Header.Get("Authorization") != "" {
		g.Next()
		return
	}
	if site := r.Header.Get("Sec-Fetch-Site"); site != "" && site != "same-origin" && site != "none" {
		problem(g, http.StatusForbidden, "the request comes from another site")
		return
	}
	if origin := r.Header.Get("Origin"); origin != "" {
		if u, err := url.Parse(origin); err != nil || u.Host != r.Host {
			problem(g, http.StatusForbidden, "the request comes from another site")
			return
		}
	}
	g.Next()
}

func (s *server) whoAmI(g *gin.Context) { g.JSON(http.StatusOK, person(g)) }

func (s *server) signOut(g *gin.Context) {
	if err := s.Bureau.SignOut(g.Request.Context(), token(g.Request)); err != nil {
		s.fail(g, err)
		return
	}
	s.cookie(g, "", -1)
	g.Status(http.StatusNoContent)
}
