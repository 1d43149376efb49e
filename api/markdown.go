package api

import (
	"fmt"
	"maps"
	"slices"
	"strings"
)

//go:generate go run ../cmd/veneer describe --markdown ../docs/api.md

// Markdown is the description as a page for the documentation: each address with what
// it takes and gives, and the types.
func (d *Description) Markdown() string {
	var b strings.Builder
	b.WriteString("# The network interface\n\nMade by `go generate ./api` from the table of routes. `veneer describe` prints it as OpenAPI 3.1, and a service serves that at `/api/v1/openapi.json`.\n\n")
	b.WriteString(d.Info["description"] + " All addresses are below `" + d.Servers[0]["url"] + "`. Sign in by `POST /session` and send the token as `Authorization: Bearer …`, or make a personal token in the console.\n\n")
	b.WriteString("```bash\ncurl -H \"Authorization: Bearer $VENEER_TOKEN\" -H 'Idempotency-Key: monday-1' -F customer='Harbour Museum' -F process=resin -F file=@fog-bell.stl http://127.0.0.1:8780/api/v1/batches\ncurl -H \"Authorization: Bearer $VENEER_TOKEN\" http://127.0.0.1:8780/api/v1/parts/1/revisions/0/report\ncurl -H \"Authorization: Bearer $VENEER_TOKEN\" -d '{\"question\": \"unit\", \"answer\": \"in\"}' http://127.0.0.1:8780/api/v1/parts/1/answers\n```\n\n")
	b.WriteString("Lists go on below the last number that came: `?before=`. A batch that is sent twice under one `Idempotency-Key` is taken in once. Sign-ins are limited for each address, calls for each person (429 with `Retry-After`), and five wrong passwords lock an account for a while.\n\n")
	b.WriteString("Posts to hooks carry `Veneer-Event`, `Veneer-Delivery`, `Veneer-Time` and `Veneer-Signature`: HMAC-SHA256 over the time, a dot and the body, under the hook's secret, in hexadecimal. What is not answered with 2xx is sent again, nine times, ever later.\n\n")
	b.WriteString("| | address | what | who | takes | gives |\n|---|---|---|---|---|---|\n")
	for _, path := range slices.Sorted(maps.Keys(d.Paths)) {
		for _, method := range slices.Sorted(maps.Keys(d.Paths[path])) {
			op := d.Paths[path][method]
			who := string(op.Role)
			if who == "" {
				who = "anyone"
			}
			summary := op.Summary
			for _, q := range op.Parameters {
				if q.In == "query" {
					summary += fmt.Sprintf("; `?%s=` %s", q.Name, q.Description)
				}
			}
			takes, gives := "", ""
			if op.Body != nil {
				takes = named(op.Body.Content)
				for _, c := range op.Body.Content {
					if c.Example != nil {
						takes += " such as `" + c.exampleText() + "`"
					}
					for _, field := range slices.Sorted(maps.Keys(c.Schema.Properties)) {
						takes += fmt.Sprintf("; `%s` %s", field, c.Schema.Properties[field].Description)
					}
				}
			}
			for code, r := range op.Responses {
				if code != "default" {
					gives = strings.TrimSpace(code + " " + named(r.Content))
				}
			}
			fmt.Fprintf(&b, "| %s | `%s` | %s | %s | %s | %s |\n", strings.ToUpper(method), path, summary, who, takes, gives)
		}
	}
	b.WriteString("\n## Types\n\n```ts\n")
	_, types, _ := strings.Cut(d.TypeScript(), "\n\n")
	b.WriteString(strings.ReplaceAll(types, "export ", "") + "```\n")
	return b.String()
}

// named is what a body holds, in a few words.
func named(c map[string]content) string {
	for kind, x := range c {
		if kind == "application/json" && x.Schema != nil {
			if words := x.Schema.typeScript(); words != "unknown" {
				return "`" + words + "`"
			}
		}
		return kind
	}
	return ""
}
