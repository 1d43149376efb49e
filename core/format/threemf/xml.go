package threemf

import (
	"bytes"
	"errors"
	"fmt"
	"io"
	"strconv"
	"unicode/utf8"
)

// scanner reads XML as a stream of start and end tags, checked as far as a
// model needs: tags match, attributes are quoted and well spelled, the text is
// UTF-8 in what is used of it. Text between tags is skipped. Document type
// definitions, and so entities of a file's own, are refused.
//
// Idea: a tag is parsed in place, in one pass over the read buffer, and names
// and values are slices of that buffer, valid until the next call; only a
// value with an entity in it is copied. A tag that runs into the buffer's end
// is parsed again after more was read. Nothing is allocated for an element.
type scanner struct {
	in       io.Reader
	buf      []byte
	pos, end int   // the unread part of buf
	done     int64 // bytes before buf[0]
	lines    int   // newlines before buf[0]
	eof      bool
	open     []byte // names of the open elements, one after another
	starts   []int  // where each begins in open
	spaces   []binding
	closing  bool // the element just started had no content

	// Of the element that the last start was of:
	name  []byte // without prefix
	space string
	attrs []attribute
	spare []byte // decoded values
}

type binding struct {
	prefix, space string
	depth         int
}

type attribute struct {
	name  []byte // with its prefix
	value []byte
}

type event int

const (
	start event = iota
	finish
)

const (
	scanBuffer = 256 << 10
	maxTag     = 1 << 20
)

func newScanner(in io.Reader) *scanner {
	return &scanner{in: in, buf: make([]byte, scanBuffer)}
}

// offset is how many bytes were read past.
func (s *scanner) offset() int64 { return s.done + int64(s.pos) }

// line is the line of the reading position, from 1.
func (s *scanner) line() int { return 1 + s.lines + bytes.Count(s.buf[:s.pos], []byte{'\n'}) }

func (s *scanner) depth() int { return len(s.starts) }

var (
	errShort = errors.New("more is needed")
	errCut   = errors.New("the XML ends in the middle")
)

// fill reads more behind the unread part, moving it to the front when needed.
func (s *scanner) fill() error {
	if s.eof {
		return io.EOF
	}
	if s.pos > 0 {
		s.lines += bytes.Count(s.buf[:s.pos], []byte{'\n'})
		s.done += int64(s.pos)
		s.end = copy(s.buf, s.buf[s.pos:s.end])
		s.pos = 0
	}
	if s.end == len(s.buf) {
		if len(s.buf) >= maxTag {
			return fmt.Errorf("a tag of more than %d bytes", maxTag)
		}
		s.buf = append(s.buf, make([]byte, len(s.buf))...)
	}
	for range 100 {
		n, err := s.in.Read(s.buf[s.end:])
		s.end += n
		if err == io.EOF {
			s.eof = true
			err = nil
			if n == 0 {
				return io.EOF
			}
		}
		if n > 0 || err != nil {
			return err
		}
	}
	return io.ErrNoProgress
}

// next moves to the next start or end tag; io.EOF after the last.
func (s *scanner) next() (event, error) {
	if s.closing {
		s.closing = false
		return finish, s.pop(nil)
	}
	for {
		i := bytes.IndexByte(s.buf[s.pos:s.end], '<')
		if i < 0 {
			s.pos = s.end
			switch err := s.fill(); {
			case err == io.EOF && len(s.starts) > 0:
				return 0, errCut
			case err != nil:
				return 0, err
			}
			continue
		}
		s.pos += i
		e, skip, err := s.tag()
		if err == errShort {
			if err := s.fill(); err == io.EOF {
				return 0, errCut
			} else if err != nil {
				return 0, err
			}
			continue
		}
		if err != nil || !skip {
			return e, err
		}
	}
}

// tag parses what begins at pos, which is a '<'; skip says that it was no element.
func (s *scanner) tag() (e event, skip bool, err error) {
	b := s.buf[s.pos:s.end]
	if len(b) < 2 {
		return 0, false, errShort
	}
	switch b[1] {
	case '?':
		return 0, true, s.skipPast("<?", "?>")
	case '!':
		switch {
		case bytes.HasPrefix(b, []byte("<!--")):
			return 0, true, s.skipPast("<!--", "-->")
		case bytes.HasPrefix(b, []byte("<![CDATA[")):
			return 0, true, s.skipPast("<![CDATA[", "]]>")
		case len(b) < 9:
			return 0, false, errShort
		}
		return 0, false, errors.New("the XML holds a document type or entity definition, which no model needs")
	case '/':
		i := bytes.IndexByte(b, '>')
		if i < 0 {
			return 0, false, errShort
		}
		s.pos += i + 1
		return finish, false, s.pop(bytes.TrimRight(b[2:i], " \t\r\n"))
	}
	n, err := s.startTag(b)
	s.pos += n
	return start, false, err
}

// skipPast moves behind something that begins and ends with those marks.
func (s *scanner) skipPast(begin, end string) error {
	b := s.buf[s.pos:s.end]
	if len(b) < len(begin) {
		return errShort
	}
	if i := bytes.Index(b[len(begin):], []byte(end)); i >= 0 {
		s.pos += len(begin) + i + len(end)
		return nil
	}
	if len(b) > scanBuffer/2 { // long: let go of all but the mark it began with and what may begin its end
		s.pos = s.end - len(end) - len(begin)
		copy(s.buf[s.pos:], begin)
	}
	return errShort
}

// nameByte tells the bytes that names are made of; other letters are the bytes
// of UTF-8 beyond ASCII.
var nameByte = func() (t [256]bool) {
	for c := range t {
		t[c] = c >= 0x80 || c >= 'a' && c <= 'z' || c >= 'A' && c <= 'Z' || c >= '0' && c <= '9' || c == ':' || c == '_' || c == '-' || c == '.'
	}
	return t
}()

// startTag parses a start tag and returns its length.
func (s *scanner) startTag(b []byte) (int, error) {
	i := 1
	for i < len(b) && nameByte[b[i]] {
		i++
	}
	if i == len(b) {
		return 0, errShort
	}
	name := b[1:i]
	if len(name) == 0 {
		return 0, fmt.Errorf("a tag without a name: %s", clip(string(b[:min(len(b), 20)])))
	}
	s.attrs, s.spare = s.attrs[:0], s.spare[:0]
	bound := 0
	for {
		for i < len(b) && b[i] <= ' ' {
			i++
		}
		if i == len(b) {
			return 0, errShort
		}
		switch {
		case b[i] == '>':
			i++
		case b[i] == '/':
			if i+1 == len(b) {
				return 0, errShort
			}
			if b[i+1] != '>' {
				return 0, fmt.Errorf("a stray / in the tag %s", clip(string(name)))
			}
			s.closing = true
			i += 2
		default:
			j := i
			for j < len(b) && nameByte[b[j]] {
				j++
			}
			k := j
			for k < len(b) && b[k] <= ' ' {
				k++
			}
			if k < len(b) && (b[k] != '=' || j == i) {
				return 0, fmt.Errorf("an attribute without a value in the tag %s", clip(string(name)))
			}
			k++
			for k < len(b) && b[k] <= ' ' {
				k++
			}
			if k >= len(b) {
				return 0, errShort
			}
			quote := b[k]
			if quote != '"' && quote != '\'' {
				return 0, fmt.Errorf("an attribute without quotes in the tag %s", clip(string(name)))
			}
			n := bytes.IndexByte(b[k+1:], quote)
			if n < 0 {
				return 0, errShort
			}
			a := attribute{b[i:j], b[k+1 : k+1+n]}
			i = k + n + 2
			if bytes.IndexByte(a.value, '<') >= 0 {
				return 0, fmt.Errorf("a < in an attribute of the tag %s", clip(string(name)))
			}
			if bytes.IndexByte(a.value, '&') >= 0 {
				var err error
				if a.value, err = s.decode(a.value); err != nil {
					return 0, err
				}
			}
			if len(a.name) >= 5 && string(a.name[:5]) == "xmlns" {
				bound++
			}
			s.attrs = append(s.attrs, a)
			continue
		}
		break
	}
	s.starts = append(s.starts, len(s.open))
	s.open = append(s.open, name...)
	if bound > 0 {
		s.bind()
	}
	prefix, local, both := bytes.Cut(name, []byte{':'})
	if !both {
		prefix, local = nil, name
	}
	s.name = local
	space, known := s.spaceOf(prefix)
	if !known && len(prefix) > 0 {
		return 0, fmt.Errorf("the prefix %s is not declared", clip(string(prefix)))
	}
	s.space = space
	return i, nil
}

// bind notes the namespaces that the element's attributes declare.
func (s *scanner) bind() {
	for _, a := range s.attrs {
		if string(a.name) == "xmlns" {
			s.spaces = append(s.spaces, binding{"", string(a.value), len(s.starts)})
		} else if prefix, ok := bytes.CutPrefix(a.name, []byte("xmlns:")); ok {
			s.spaces = append(s.spaces, binding{string(prefix), string(a.value), len(s.starts)})
		}
	}
}

// spaceOf is the namespace that a prefix stands for here.
func (s *scanner) spaceOf(prefix []byte) (space string, known bool) {
	for i := len(s.spaces) - 1; i >= 0; i-- {
		if s.spaces[i].prefix == string(prefix) {
			return s.spaces[i].space, true
		}
	}
	return "", false
}

// pop closes the innermost element, whose name must be that one; nil for any.
func (s *scanner) pop(name []byte) error {
	n := len(s.starts) - 1
	if n < 0 {
		return fmt.Errorf("the end tag %s has no start", clip(string(name)))
	}
	open := s.open[s.starts[n]:]
	if name != nil && !bytes.Equal(name, open) {
		return fmt.Errorf("the end tag %s closes the element %s", clip(string(name)), clip(string(open)))
	}
	for k := len(s.spaces); k > 0 && s.spaces[k-1].depth > n; k-- {
		s.spaces = s.spaces[:k-1]
	}
	s.open, s.starts = s.open[:s.starts[n]], s.starts[:n]
	return nil
}

// attr is the value of an attribute without prefix; nil when there is none.
func (s *scanner) attr(name string) []byte {
	for _, a := range s.attrs {
		if string(a.name) == name {
			return a.value
		}
	}
	return nil
}

// attrIn is the value of an attribute with a prefix that stands for that namespace.
func (s *scanner) attrIn(space, name string) []byte {
	for _, a := range s.attrs {
		prefix, local, both := bytes.Cut(a.name, []byte{':'})
		if both && string(local) == name {
			if in, _ := s.spaceOf(prefix); in == space {
				return a.value
			}
		}
	}
	return nil
}

// decode replaces the five named entities and characters by number.
func (s *scanner) decode(v []byte) ([]byte, error) {
	from := len(s.spare)
	for {
		text, rest, found := bytes.Cut(v, []byte{'&'})
		s.spare = append(s.spare, text...)
		if !found {
			return s.spare[from:len(s.spare):len(s.spare)], nil
		}
		end := bytes.IndexByte(rest[:min(len(rest), 12)], ';')
		if end < 0 {
			return nil, errors.New("an & that begins no entity")
		}
		word := rest[:end]
		v = rest[end+1:]
		switch string(word) {
		case "amp":
			s.spare = append(s.spare, '&')
		case "lt":
			s.spare = append(s.spare, '<')
		case "gt":
			s.spare = append(s.spare, '>')
		case "quot":
			s.spare = append(s.spare, '"')
		case "apos":
			s.spare = append(s.spare, '\'')
		default:
			number, base := "", 10
			if len(word) > 1 && word[0] == '#' {
				number = string(word[1:])
				if number[0] == 'x' {
					number, base = number[1:], 16
				}
			}
			code, err := strconv.ParseUint(number, base, 32)
			if err != nil || code > utf8.MaxRune {
				return nil, fmt.Errorf("the unknown entity &%s;", clip(string(word)))
			}
			s.spare = utf8.AppendRune(s.spare, rune(code))
		}
	}
}
