package api

import (
	"fmt"
	"maps"
	"slices"
	"strings"
)

//go:generate go run ../cmd/veneer describe --typescript ../console/src/shared/api.gen.ts

// TypeScript is the schemas of a description as types for the console.
func (d *Description) TypeScript() string {
	var b strings.Builder
	b.WriteString("// Made by `go generate ./api` from the description of the interface. Do not edit.\n")
	for _, name := range slices.Sorted(maps.Keys(d.Components.Schemas)) {
		s := d.Components.Schemas[name]
		fmt.Fprintf(&b, "\nexport interface %s {\n", name)
		for _, field := range slices.Sorted(maps.Keys(s.Properties)) {
			mark := "?"
			if slices.Contains(s.Required, field) {
				mark = ""
			}
			fmt.Fprintf(&b, "  %s%s: %s\n", field, mark, s.Properties[field].typeScript())
		}
		b.WriteString("}\n")
	}
	return b.String()
}

func (s *schema) typeScript() string {
	switch {
	case s.Ref != "":
		return s.Ref[strings.LastIndexByte(s.Ref, '/')+1:]
	case len(s.Enum) > 0:
		return "'" + strings.Join(s.Enum, "' | '") + "'"
	case len(s.AnyOf) > 0:
		var words []string
		for _, one := range s.AnyOf {
			words = append(words, one.typeScript())
		}
		return strings.Join(words, " | ")
	}
	switch s.Type {
	case "string", "boolean", "null":
		return s.Type.(string)
	case "integer", "number":
		return "number"
	case "array":
		item := s.Items.typeScript()
		if s.MaxItems > 0 {
			return "[" + strings.Repeat(item+", ", s.MaxItems-1) + item + "]"
		}
		if strings.Contains(item, " ") {
			item = "(" + item + ")"
		}
		return item + "[]"
	case "object":
		return "Record<string, " + s.Additional.typeScript() + ">"
	}
	return "unknown"
}
