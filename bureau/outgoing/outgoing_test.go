package outgoing_test

import (
	"context"
	"io"
	"log/slog"
	"net/http"
	"net/http/httptest"
	"strings"
	"sync/atomic"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"veneer/bureau/outgoing"
	"veneer/bureau/record"
	"veneer/bureau/store"
	"veneer/bureau/store/storetest"
	"veneer/core/check"
)

func TestMain(m *testing.M) { storetest.Main(m) }

// TestTriesThenGivesUp posts to somebody who never says yes, ever later, until it gives
// up; and follows nobody who sends it elsewhere.
func TestTriesThenGivesUp(t *testing.T) {
	s := storetest.Open(t)
	var elsewhere, asked atomic.Int32
	other := httptest.NewServer(http.HandlerFunc(func(http.ResponseWriter, *http.Request) { elsewhere.Add(1) }))
	defer other.Close()
	no := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		asked.Add(1)
		http.Redirect(w, r, other.URL, http.StatusTemporaryRedirect)
	}))
	defer no.Close()
	_, err := s.AddHook(t.Context(), "rex", no.URL, strings.Repeat("s", 64))
	require.NoError(t, err)
	done(t, s)
	post(t, s, func() bool { return asked.Load() >= 9 })
	assert.Zero(t, elsewhere.Load())
	list, err := s.Hooks(t.Context())
	require.NoError(t, err)
	assert.Equal(t, "it answered 307 Temporary Redirect", list[0].Error)
	assert.Zero(t, list[0].Waiting, "it was given up")
}

// TestToldOnce posts to two hooks, each once, though two services share the records;
// one that ended is told no more.
func TestToldOnce(t *testing.T) {
	s := storetest.Open(t)
	var posts [3]atomic.Int32
	var hooks [3]record.Hook
	for i := range posts {
		server := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
			io.Copy(io.Discard, r.Body)
			posts[i].Add(1)
		}))
		defer server.Close()
		var err error
		hooks[i], err = s.AddHook(t.Context(), "rex", server.URL, strings.Repeat("s", 64))
		require.NoError(t, err)
	}
	require.NoError(t, s.EndHook(t.Context(), "rex", hooks[2].ID))
	assert.ErrorIs(t, s.EndHook(t.Context(), "rex", hooks[2].ID), store.ErrNotFound)
	for range 5 {
		done(t, s)
	}
	post(t, s, func() bool { return posts[0].Load() >= 5 && posts[1].Load() >= 5 })
	assert.EqualValues(t, 5, posts[0].Load())
	assert.EqualValues(t, 5, posts[1].Load())
	assert.Zero(t, posts[2].Load())
}

// done takes in a batch of one part and finishes it.
func done(t *testing.T, s *store.Store) {
	t.Helper()
	ctx := t.Context()
	_, err := s.AddBatch(ctx, record.Batch{Name: "Floor pieces", Customer: "Harbour Museum", Process: "resin", CreatedBy: "ada"}, []store.NewFile{{Name: "a.stl", SHA256: strings.Repeat("a", 64), Bytes: 84}}, nil)
	require.NoError(t, err)
	job, err := s.Take(ctx, "one", time.Minute)
	require.NoError(t, err)
	require.NoError(t, s.Finish(ctx, job, "one", store.Outcome{Report: &check.Report{Verdict: check.Pass}}))
}

// post runs two posts until enough is told, and a little longer.
func post(t *testing.T, s *store.Store, enough func() bool) {
	t.Helper()
	ctx, stop := context.WithCancel(context.Background())
	ended := make(chan struct{}, 2)
	for range 2 {
		go func() {
			(&outgoing.Post{Store: s, Log: slog.New(slog.NewTextHandler(io.Discard, nil)), First: time.Millisecond}).Run(ctx)
			ended <- struct{}{}
		}()
	}
	assert.Eventually(t, enough, 30*time.Second, 20*time.Millisecond)
	time.Sleep(700 * time.Millisecond)
	stop()
	<-ended
	<-ended
}
