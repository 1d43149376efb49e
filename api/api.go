// Package api is the bureau's network interface: JSON under /api/v1, errors as
// problem documents, progress as server-sent events. It is thin: it turns
// requests into calls of the bureau and results into JSON.
package api

import (
	"errors"
	"log/slog"
	"net/http"
	"time"

	"github.com/gin-gonic/gin"

	"veneer/bureau"
	"veneer/bureau/store"
)

// Config is what the interface needs.
type Config struct {
	Bureau  *bureau.Bureau
	Console http.Handler // answers everything outside of /api
	Log     *slog.Logger
	Secure  bool // cookies over TLS only
}

type server struct {
	Config
	signIns chan struct{} // bounds the memory that password checks take
	knocks  *pace         // of sign-ins, by address
	calls   *pace         // of calls, by person
	meters  *meters
}

// Handler is the whole interface.
func Handler(c Config) http.Handler {
	s := &server{Config: c, signIns: make(chan struct{}, 4), knocks: newPace(20, 0.5), calls: newPace(3000, 300)}
	s.meters = s.newMeters()
	gin.SetMode(gin.ReleaseMode)
	e := gin.New()
	e.HandleMethodNotAllowed = true
	e.Use(s.logged, s.metered, s.recovered, guarded)
	e.GET("/healthz", func(g *gin.Context) { g.String(http.StatusOK, "ok\n") })
	e.GET("/readyz", s.ready)

	s.serveRoutes(e.Group("/api/v1"))
	e.NoMethod(func(g *gin.Context) {
		problem(g, http.StatusMethodNotAllowed, "this address does not take "+g.Request.Method)
	})
	e.NoRoute(func(g *gin.Context) {
		if p := g.Request.URL.Path; p == "/api" || len(p) >= 5 && p[:5] == "/api/" {
			problem(g, http.StatusNotFound, "no such address")
			return
		}
		s.Console.ServeHTTP(g.Writer, g.Request)
	})
	return e
}

// Problem is an error as RFC 9457 has it.
type Problem struct {
	Title  string `json:"title"`
	Status int    `json:"status"`
	Detail string `json:"detail"`
}

func problem(g *gin.Context, status int, detail string) {
	g.Header("Content-Type", "application/problem+json")
	g.AbortWithStatusJSON(status, Problem{http.StatusText(status), status, detail})
}

// fail answers with the problem that an error is.
func (s *server) fail(g *gin.Context, err error) {
	var tooLarge *http.MaxBytesError
	switch {
	case errors.Is(err, bureau.ErrInvalid):
		problem(g, http.StatusUnprocessableEntity, err.Error())
	case errors.Is(err, store.ErrNotFound):
		problem(g, http.StatusNotFound, "there is no such record")
	case errors.Is(err, store.ErrBusy), errors.Is(err, bureau.ErrOffset):
		problem(g, http.StatusConflict, err.Error())
	case errors.Is(err, store.ErrState):
		problem(g, http.StatusConflict, err.Error())
	case errors.Is(err, bureau.ErrLocked):
		problem(g, http.StatusTooManyRequests, err.Error())
	case errors.Is(err, bureau.ErrSignIn):
		problem(g, http.StatusUnauthorized, err.Error())
	case errors.As(err, &tooLarge):
		problem(g, http.StatusRequestEntityTooLarge, "the request is larger than allowed")
	case g.Request.Context().Err() != nil: // the caller is gone
		g.Abort()
	default:
		s.Log.Error("request failed", "path", g.Request.URL.Path, "err", err)
		problem(g, http.StatusInternalServerError, "the service could not do this; its log says why")
	}
}

// answer sends v, or the problem that err is.
func (s *server) answer(g *gin.Context, v any, err error) {
	if err != nil {
		s.fail(g, err)
		return
	}
	g.JSON(http.StatusOK, v)
}

// accept says that something will be done, or why not.
func (s *server) accept(g *gin.Context, err error) {
	if err != nil {
		s.fail(g, err)
		return
	}
	g.Status(http.StatusAccepted)
}

func (s *server) ready(g *gin.Context) {
	if err := s.Bureau.Store.Ready(g.Request.Context()); err != nil {
		problem(g, http.StatusServiceUnavailable, "the database does not answer")
		return
	}
	g.String(http.StatusOK, "ready\n")
}

func (s *server) logged(g *gin.Context) {
	start := time.Now()
	g.Next()
	level := slog.LevelDebug
	if g.Writer.Status() >= 500 {
		level = slog.LevelError
	}
	s.Log.Log(g.Request.Context(), level, "request", "method", g.Request.Method, "path", g.Request.URL.Path,
		"status", g.Writer.Status(), "ms", time.Since(start).Milliseconds())
}

func (s *server) recovered(g *gin.Context) {
	defer func() {
		if p := recover(); p == http.ErrAbortHandler {
			panic(p) // the server breaks the connection off, so that nothing looks whole
		} else if p != nil {
			s.Log.Error("request panicked", "path", g.Request.URL.Path, "panic", p)
			problem(g, http.StatusInternalServerError, "the service could not do this; its log says why")
		}
	}()
	g.Next()
}

// guarded sets the headers that keep a browser from doing what no page of ours needs.
func guarded(g *gin.Context) {
	h := g.Writer.Header()
	h.Set("Content-Security-Policy", "default-src 'self'; img-src 'self' data: blob:; object-src 'none'; base-uri 'none'; frame-ancestors 'none'; form-action 'self'")
	h.Set("X-Content-Type-Options", "nosniff")
	h.Set("Referrer-Policy", "same-origin")
	g.Next()
}
