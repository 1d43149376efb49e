package text

import (
	"bytes"
	"errors"
	"io"
	"strings"
	"testing"
	"testing/iotest"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// TestLinesComeOutWhole reads lines through the window, however the file
// arrives, and finds every byte again.
func TestLinesComeOutWhole(t *testing.T) {
	var want []string
	for i := range 3000 {
		want = append(want, strings.Repeat("x", i%700))
	}
	content := strings.Join(want, "\n")
	for name, in := range map[string]io.Reader{
		"whole": strings.NewReader(content), "by halves": iotest.HalfReader(strings.NewReader(content)),
		"end with data": iotest.DataErrReader(strings.NewReader(content)),
	} {
		w := NewWindow(in, 1<<20)
		var got []string
		for {
			if n := bytes.IndexByte(w.Rest(), '\n'); n >= 0 {
				got = append(got, string(w.Rest()[:n]))
				w.Skip(n + 1)
				continue
			}
			more, err := w.More()
			require.NoError(t, err)
			if !more {
				break
			}
		}
		got = append(got, string(w.Rest()))
		assert.Equal(t, want, got, name)
		w.Skip(len(w.Rest()))
		assert.EqualValues(t, len(content), w.Offset(), name)
	}
}

func TestPiecesHaveALimit(t *testing.T) {
	w := NewWindow(strings.NewReader(strings.Repeat("x", 2<<20)), 1<<20)
	for range 100 {
		if _, err := w.More(); err != nil {
			assert.ErrorContains(t, err, "a piece of more than")
			assert.LessOrEqual(t, len(w.Rest()), 2<<20)
			return
		}
	}
	t.Fatal("the window grew without end")
}

func TestFailingDisksShow(t *testing.T) {
	broken := errors.New("disk on fire")
	w := NewWindow(iotest.ErrReader(broken), 100)
	_, err := w.More()
	assert.ErrorIs(t, err, broken)
	w = NewWindow(idle{}, 100)
	_, err = w.More()
	assert.ErrorIs(t, err, io.ErrNoProgress)
}

type idle struct{}

func (idle) Read([]byte) (int, error) { return 0, nil }
