package api

import (
	"cmp"
	"encoding/json"
	"fmt"
	"net/http"
	"reflect"
	"slices"
	"strings"
	"time"

	"github.com/gin-gonic/gin"

	"veneer/bureau/record"
	"veneer/core/check"
	"veneer/core/pipeline"
	"veneer/core/repair"
)

// The description of the interface, in OpenAPI 3.1, is made from the table of routes
// and from the Go types that are sent and answered, so that it cannot drift from
// either.

// Description is an OpenAPI document.
type Description struct {
	OpenAPI    string                          `json:"openapi"`
	Info       map[string]string               `json:"info"`
	Servers    []map[string]string             `json:"servers"`
	Paths      map[string]map[string]operation `json:"paths"`
	Components components                      `json:"components"`
}

type components struct {
	Schemas  map[string]*schema        `json:"schemas"`
	Security map[string]map[string]any `json:"securitySchemes"`
}

type operation struct {
	ID         string              `json:"operationId"`
	Summary    string              `json:"summary"`
	Security   []map[string][]any  `json:"security"`
	Role       record.Role         `json:"x-least-role,omitempty"` // what it takes
	Parameters []parameter         `json:"parameters,omitempty"`
	Body       *body               `json:"requestBody,omitempty"`
	Responses  map[string]response `json:"responses"`
}

type parameter struct {
	Name        string  `json:"name"`
	In          string  `json:"in"`
	Required    bool    `json:"required"`
	Description string  `json:"description,omitempty"`
	Schema      *schema `json:"schema"`
}

type body struct {
	Content map[string]content `json:"content"`
}

type response struct {
	Description string             `json:"description"`
	Content     map[string]content `json:"content,omitempty"`
}

type content struct {
	Schema  *schema `json:"schema"`
	Example any     `json:"example,omitempty"`
}

// exampleText is an example as JSON.
func (c content) exampleText() string {
	text, err := json.Marshal(c.Example)
	if err != nil {
		panic(err) // a test makes all of them
	}
	return string(text)
}

// schema is as much of JSON Schema as our types need.
type schema struct {
	Ref    string   `json:"$ref,omitempty"`
	Type   any      `json:"type,omitempty"` // a name, or a name and "null"
	Format string   `json:"format,omitempty"`
	Enum   []string `json:"enum,omitempty"`

	Description string             `json:"description,omitempty"`
	Items       *schema            `json:"items,omitempty"`
	MinItems    int                `json:"minItems,omitempty"`
	MaxItems    int                `json:"maxItems,omitempty"`
	Properties  map[string]*schema `json:"properties,omitempty"`
	Required    []string           `json:"required,omitempty"`
	Additional  *schema            `json:"additionalProperties,omitempty"`
	AnyOf       []*schema          `json:"anyOf,omitempty"`
}

// enums are the words that types of text may be.
var enums = map[reflect.Type][]string{
	reflect.TypeFor[check.Verdict]():    {"pass", "repair", "hold", "reject"},
	reflect.TypeFor[check.Severity]():   {"error", "warning", "question", "note"},
	reflect.TypeFor[record.PartState](): {"waiting", "working", "done", "failed"},
	reflect.TypeFor[record.JobKind]():   {"inspect", "mend", "study"},
	reflect.TypeFor[record.StudyKind](): {"compare", "levels"},
	reflect.TypeFor[record.Role]():      {"viewer", "operator", "lead", "administrator"},
	reflect.TypeFor[record.Scope]():     {"everything", "reading"},
	reflect.TypeFor[record.Origin]():    {"shipped", "changed", "added"},
	reflect.TypeFor[record.SignState](): {"proposed", "approved", "sent back", "withdrawn"},
}

// documents are what some fields hold that are kept as JSON.
var documents = map[string]reflect.Type{
	"record.Revision.repair": reflect.TypeFor[repair.Result](),
	"record.Revision.report": reflect.TypeFor[check.Report](),
	"record.Part.answers":    reflect.TypeFor[map[string]string](),
	"record.Seen.answers":    reflect.TypeFor[map[string]string](),
}

// Describe is the description of the whole interface.
func Describe() *Description { return (&server{}).description() }

func (s *server) describe(g *gin.Context) { g.JSON(http.StatusOK, s.description()) }

func (s *server) description() *Description {
	d := &Description{OpenAPI: "3.1.0",
		Info:    map[string]string{"title": "Veneer", "version": "1", "description": "Lengths are in mm, areas in mm², volumes in mm³, times in UTC. Errors are problem documents (RFC 9457)."},
		Servers: []map[string]string{{"url": "/api/v1"}},
		Paths:   map[string]map[string]operation{},
		Components: components{map[string]*schema{}, map[string]map[string]any{
			"token":  {"type": "http", "scheme": "bearer"},
			"cookie": {"type": "apiKey", "in": "cookie", "name": cookieName}}}}
	names := &namer{schemas: d.Components.Schemas, types: map[string]reflect.Type{}}
	problems := content{Schema: names.of(reflect.TypeFor[Problem]())}
	for _, r := range s.routes() {
		op := operation{ID: operationID(r), Summary: r.summary, Security: []map[string][]any{}, Responses: map[string]response{
			"default": {"a problem", map[string]content{"application/problem+json": problems}}}}
		if r.who >= looking {
			op.Security = []map[string][]any{{"token": {}}, {"cookie": {}}}
			op.Role = cmp.Or(roles[r.who], record.Viewer)
		}
		var path []string
		for _, word := range strings.Split(r.path, "/") {
			if name, is := strings.CutPrefix(word, ":"); is {
				op.Parameters = append(op.Parameters, parameter{Name: name, In: "path", Required: true, Schema: &schema{Type: "string"}})
				word = "{" + name + "}"
			}
			path = append(path, word)
		}
		for _, q := range r.query {
			op.Parameters = append(op.Parameters, parameter{Name: q.name, In: "query", Description: q.about, Schema: &schema{Type: "string"}})
		}
		if r.takes != "" {
			op.Body = &body{map[string]content{r.takes: {Schema: formOf(r.form)}}}
		} else if r.in != nil {
			op.Body = &body{map[string]content{"application/json": {names.of(reflect.TypeOf(r.in)), r.in}}}
		}
		answer := response{Description: "done"}
		if r.gives != "" {
			answer.Content = map[string]content{r.gives: {Schema: &schema{}}}
		} else if r.out != nil {
			answer.Content = map[string]content{"application/json": {Schema: names.of(reflect.TypeOf(r.out))}}
		}
		op.Responses[fmt.Sprint(max(r.status, 200))] = answer
		at := strings.Join(path, "/")
		if d.Paths[at] == nil {
			d.Paths[at] = map[string]operation{}
		}
		d.Paths[at][strings.ToLower(r.method)] = op
	}
	return d
}

// formOf is a form's fields, all of which may be repeated; anything for none.
func formOf(fields []param) *schema {
	s := &schema{}
	for _, f := range fields {
		if s.Properties == nil {
			s.Type, s.Properties = "object", map[string]*schema{}
		}
		s.Properties[f.name] = &schema{Type: "string", Description: f.about}
	}
	if file := s.Properties["file"]; file != nil {
		file.Format = "binary"
	}
	return s
}

// operationID is such as get_parts_part_plan.
func operationID(r route) string {
	return strings.ToLower(r.method) + strings.NewReplacer("/", "_", ":", "", ".", "_").Replace(r.path)
}

// namer makes a schema of each type, structs under their names.
type namer struct {
	schemas map[string]*schema
	types   map[string]reflect.Type
}

func (n *namer) of(t reflect.Type) *schema {
	if words, is := enums[t]; is {
		return &schema{Type: "string", Enum: words}
	}
	switch t {
	case reflect.TypeFor[time.Time]():
		return &schema{Type: "string", Format: "date-time"}
	case reflect.TypeFor[record.JSON](), reflect.TypeFor[json.RawMessage]():
		return &schema{}
	}
	switch t.Kind() {
	case reflect.Bool:
		return &schema{Type: "boolean"}
	case reflect.Int, reflect.Int8, reflect.Int16, reflect.Int32, reflect.Int64, reflect.Uint8, reflect.Uint32, reflect.Uint64:
		return &schema{Type: "integer"}
	case reflect.Float32, reflect.Float64:
		return &schema{Type: "number"}
	case reflect.String:
		return &schema{Type: "string"}
	case reflect.Slice:
		return &schema{Type: "array", Items: n.of(t.Elem())}
	case reflect.Array:
		return &schema{Type: "array", Items: n.of(t.Elem()), MinItems: t.Len(), MaxItems: t.Len()}
	case reflect.Map:
		return &schema{Type: "object", Additional: n.of(t.Elem())}
	case reflect.Pointer:
		return n.of(t.Elem())
	case reflect.Struct:
		return n.named(t)
	}
	panic(fmt.Sprintf("the interface sends a %v", t))
}

// named puts a struct among the schemas; two of one name are told apart by their
// packages.
func (n *namer) named(t reflect.Type) *schema {
	name := t.Name()
	if other, taken := n.types[name]; taken && other != t {
		from := t.PkgPath()[strings.LastIndexByte(t.PkgPath(), '/')+1:]
		name = strings.ToUpper(from[:1]) + from[1:] + name
	}
	ref := &schema{Ref: "#/components/schemas/" + name}
	if n.types[name] == t {
		return ref
	}
	s := &schema{Type: "object", Properties: map[string]*schema{}}
	n.types[name], n.schemas[name] = t, s
	n.fields(t, s)
	slices.Sort(s.Required)
	return ref
}

func (n *namer) fields(t reflect.Type, s *schema) {
	for i := range t.NumField() {
		f := t.Field(i)
		tag := f.Tag.Get("json")
		name, options, _ := strings.Cut(tag, ",")
		switch {
		case f.Anonymous && name == "":
			n.fields(f.Type, s)
			continue
		case name == "-" || !f.IsExported() || name == "":
			continue
		}
		kind := f.Type
		if document, is := documents[t.String()+"."+name]; is {
			kind = document
		}
		field := n.of(kind)
		if t == reflect.TypeFor[record.Study]() && name == "result" {
			field = &schema{AnyOf: []*schema{n.of(reflect.TypeFor[pipeline.Comparison]()), n.of(reflect.TypeFor[[]pipeline.Level]()), {Type: "null"}}}
		}
		optional := strings.Contains(options, "omitempty")
		if !optional {
			s.Required = append(s.Required, name)
			if f.Type.Kind() == reflect.Pointer {
				field = &schema{AnyOf: []*schema{field, {Type: "null"}}}
			}
		}
		s.Properties[name] = field
	}
}
