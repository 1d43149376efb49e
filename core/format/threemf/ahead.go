package threemf

import "io"

// readAhead unpacks on another core while the XML is parsed: a goroutine reads
// r into two buffers in turn. It ends when r does, or when stop is called; r
// may be closed only after that.
func readAhead(r io.Reader) (ahead io.Reader, stop func()) {
	a := &aheadReader{full: make(chan filled, 1), empty: make(chan []byte, 2), quit: make(chan struct{}), done: make(chan struct{})}
	for range 2 {
		a.empty <- make([]byte, 256<<10)
	}
	go a.run(r)
	return a, func() {
		close(a.quit)
		<-a.done
	}
}

type filled struct {
	bytes []byte
	err   error
}

type aheadReader struct {
	full       chan filled
	empty      chan []byte
	quit, done chan struct{}
	now        filled
	rest       []byte
}

func (a *aheadReader) run(r io.Reader) {
	defer close(a.done)
	for {
		var buf []byte
		select {
		case buf = <-a.empty:
		case <-a.quit:
			return
		}
		n, err := io.ReadFull(r, buf)
		if err == io.ErrUnexpectedEOF {
			err = io.EOF
		}
		select {
		case a.full <- filled{buf[:n], err}:
		case <-a.quit:
			return
		}
		if err != nil {
			return
		}
	}
}

func (a *aheadReader) Read(b []byte) (int, error) {
	for len(a.rest) == 0 {
		if a.now.err != nil {
			return 0, a.now.err
		}
		if a.now.bytes != nil {
			a.empty <- a.now.bytes[:cap(a.now.bytes)]
		}
		a.now = <-a.full
		a.rest = a.now.bytes
	}
	n := copy(b, a.rest)
	a.rest = a.rest[n:]
	return n, nil
}
