package threemf

import (
	"encoding/xml"
	"fmt"
	"io"
	"math/rand/v2"
	"strings"
	"testing"
	"testing/iotest"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// scanAll tells what the scanner makes of a document, one line a tag.
func scanAll(r io.Reader) (out []string, err error) {
	s := newScanner(r)
	for {
		e, err := s.next()
		if err == io.EOF {
			return out, nil
		}
		if err != nil {
			return out, err
		}
		if e == finish {
			out = append(out, "end")
			continue
		}
		line := fmt.Sprintf("start {%s}%s", s.space, s.name)
		for _, a := range s.attrs {
			if !strings.HasPrefix(string(a.name), "xmlns") {
				line += fmt.Sprintf(" %s=%q", a.name, a.value)
			}
		}
		out = append(out, line)
	}
}

// decodeAll is the oracle: the same, by the standard library.
func decodeAll(t *testing.T, text string) (out []string) {
	d := xml.NewDecoder(strings.NewReader(text))
	for {
		token, err := d.Token()
		if err == io.EOF {
			return out
		}
		require.NoError(t, err, text)
		switch e := token.(type) {
		case xml.StartElement:
			line := fmt.Sprintf("start {%s}%s", e.Name.Space, e.Name.Local)
			for _, a := range e.Attr {
				if a.Name.Space != "xmlns" && a.Name.Local != "xmlns" {
					line += fmt.Sprintf(" %s=%q", a.Name.Local, a.Value)
				}
			}
			out = append(out, line)
		case xml.EndElement:
			out = append(out, "end")
		}
	}
}

// document makes a random well-formed document.
func document(r *rand.Rand, depth int) string {
	pick := func(list ...string) string { return list[r.IntN(len(list))] }
	var b strings.Builder
	name := pick("vertex", "a", "p:item", "q:thing", "Höhe", "x-y_z.1")
	b.WriteString("<" + name)
	if depth == 0 {
		b.WriteString(` xmlns="urn:one" xmlns:p="urn:two" xmlns:q='urn:three'`)
	} else if r.IntN(5) == 0 {
		b.WriteString(pick(` xmlns="urn:four"`, ` xmlns:p="urn:five"`))
	}
	for i := range r.IntN(4) {
		fmt.Fprintf(&b, "%s%c%s=%s", pick(" ", "\n\t", "  "), 'a'+i, pick("", " "), pick(`"1.5"`, `'a"b'`, `"a&amp;b &lt;&#65;&#x42;"`, `""`, `"ü"`))
	}
	if r.IntN(3) == 0 {
		return b.String() + pick("/>", " />")
	}
	b.WriteString(pick(">", " >"))
	for range r.IntN(4) {
		b.WriteString(pick("", "text ", "\n", "<!-- a > b -- c -->", "<?pi x?>", "<![CDATA[ <x> ]]>", "&amp;"))
		if depth < 6 {
			b.WriteString(document(r, depth+1))
		}
	}
	return b.String() + "</" + name + pick("", " ", "\n") + ">"
}

// TestScannerAgreesWithTheStandardLibrary scans random documents, whole and a
// byte at a time, and compares every tag and attribute.
func TestScannerAgreesWithTheStandardLibrary(t *testing.T) {
	r := rand.New(rand.NewPCG(1, 1))
	for range 500 {
		text := `<?xml version="1.0"?>` + strings.ReplaceAll(document(r, 0), "b -- c", "b c")
		want := decodeAll(t, text)
		got, err := scanAll(strings.NewReader(text))
		require.NoError(t, err, text)
		require.Equal(t, want, got, text)
		got, err = scanAll(iotest.OneByteReader(strings.NewReader(text)))
		require.NoError(t, err)
		require.Equal(t, want, got)
	}
}

func TestScannerRefuses(t *testing.T) {
	for text, problem := range map[string]string{
		"<a><b></a>":              "the end tag a closes the element b",
		"</a>":                    "the end tag a has no start",
		"<a":                      "ends in the middle",
		"<a><!-- ":                "ends in the middle",
		"<a>":                     "ends in the middle",
		"<a b=1/>":                "without quotes",
		"<a b/>":                  "without a value",
		`<a b="<"/>`:              "a < in an attribute",
		`<a b="&lots;"/>`:         "unknown entity",
		`<a b="&x"/>`:             "begins no entity",
		"<p:a/>":                  "the prefix p is not declared",
		"< a/>":                   "a tag without a name",
		"<a / >":                  "a stray /",
		"<!DOCTYPE a []><a/>":     "document type",
		"<!ENTITY b 'c'><a></a> ": "document type",
	} {
		_, err := scanAll(strings.NewReader(text))
		assert.ErrorContains(t, err, problem, text)
	}
	broken := fmt.Errorf("disk on fire")
	_, err := scanAll(io.MultiReader(strings.NewReader("<a>"), iotest.ErrReader(broken)))
	assert.ErrorIs(t, err, broken)
}

// TestLongPiecesNeedNoRoom reads a comment far longer than the buffer, and
// refuses a tag that is.
func TestLongPiecesNeedNoRoom(t *testing.T) {
	long := strings.Repeat("- ->", 1<<20)
	got, err := scanAll(strings.NewReader("<a><!--" + long + "--><b/></a>"))
	require.NoError(t, err)
	assert.Len(t, got, 4)
	_, err = scanAll(strings.NewReader(`<a b="` + long + `"/>`))
	assert.ErrorContains(t, err, "a tag of more than")
}

func TestLinesAreCounted(t *testing.T) {
	s := newScanner(iotest.HalfReader(strings.NewReader("<a>\n<!--\n\n-->\n" + strings.Repeat("x\n", 400_000) + "<b/></a>")))
	for range 2 {
		_, err := s.next()
		require.NoError(t, err)
	}
	assert.Equal(t, "b", string(s.name))
	assert.Equal(t, 400_005, s.line())
}
