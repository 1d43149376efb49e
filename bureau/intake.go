package bureau

import (
	"context"
	"errors"
	"fmt"
	"io"
	"path"
	"strings"
	"unicode"

	"veneer/bureau/record"
	"veneer/bureau/store"
	"veneer/bureau/vault"
	"veneer/core/format/archive"
	"veneer/core/format/file"
	"veneer/core/process"
	"veneer/core/unit"
)

// Intake gathers a batch while its files stream in.
type Intake struct {
	bureau *Bureau
	batch  record.Batch
	files  []store.NewFile
	beside []record.Companion
	expect map[string]string // stated sizes by file name; "" for all

	uploads []func()      // take away what was taken in
	before  *record.Batch // the same, sent and taken in before; then nothing is taken in
}

// Receive begins a batch in a person's name.
func (b *Bureau) Receive(person string) *Intake {
	return &Intake{bureau: b, expect: map[string]string{}, batch: record.Batch{Process: process.Default, AutoRepair: true, CreatedBy: person}}
}

// Under has the batch taken in once, however often it is sent under that key.
func (in *Intake) Under(ctx context.Context, key string) error {
	if len(key) > 100 {
		return invalid("an idempotency key has at most 100 letters")
	}
	if key == "" {
		return nil
	}
	in.batch.RequestKey = &key
	b, err := in.bureau.Store.BatchUnder(ctx, in.batch.CreatedBy, key)
	if errors.Is(err, store.ErrNotFound) {
		return nil
	}
	in.before = &b
	return err
}

// Set takes one of the batch's words: name, customer, process, repair (auto or
// none), or expect, the size that the customer stated for all parts
// (120x80x40mm) or for one (lamp.stl=120x80x40mm).
func (in *Intake) Set(ctx context.Context, field, value string) error {
	if in.before != nil {
		return nil
	}
	value = strings.TrimSpace(value)
	if len([]rune(value)) > 200 {
		return invalid("%s has more than 200 letters", field)
	}
	switch field {
	case "name":
		in.batch.Name = value
	case "customer":
		in.batch.Customer = value
	case "process":
		if _, err := in.bureau.Store.Process(ctx, value); err != nil {
			return invalid("%v", err)
		}
		in.batch.Process = value
	case "repair":
		if value != "auto" && value != "none" {
			return invalid("repair is auto or none, not %q", value)
		}
		in.batch.AutoRepair = value == "auto"
	case "expect":
		i := strings.LastIndexByte(value, '=')
		name, size := strings.TrimSpace(value[:max(i, 0)]), strings.TrimSpace(value[i+1:])
		if err := statedSize(size); err != nil {
			return err
		}
		in.expect[name] = size
	default:
		return invalid("a batch has no field %q", field)
	}
	return nil
}

// statedSize refuses what is no size, or too long to keep.
func statedSize(size string) error {
	if _, err := unit.ParseSize(size); err != nil {
		return invalid("%v", err)
	}
	if len(size) > 60 {
		return invalid("a stated size has at most 60 letters")
	}
	return nil
}

// Add streams one file into the vault. Its name is kept for showing, and for
// files to find one another by. Material libraries and textures come along with
// the parts and are none themselves.
func (in *Intake) Add(name string, r io.Reader) error {
	if in.before != nil {
		return nil
	}
	kept, err := in.keep(name, r)
	if err != nil {
		return err
	}
	if archive.Companion(name) {
		in.sort(name, kept)
		return nil
	}
	f, err := in.bureau.Vault.Open(kept.SHA256)
	if err != nil {
		return err
	}
	defer f.Close()
	if src := (file.Source{Name: kept.Name, R: f, Size: kept.Bytes}); archive.Is(src) {
		return in.unpack(src)
	}
	in.sort(name, kept)
	return nil
}

// sort puts a file with the parts, or with what comes along with them.
func (in *Intake) sort(name string, kept store.NewFile) {
	if archive.Companion(name) {
		in.beside = append(in.beside, record.Companion{Path: kept.Path, SHA256: kept.SHA256, Bytes: kept.Bytes})
	} else {
		in.files = append(in.files, kept)
	}
}

// keep puts one file into the vault, while the batch has room for it.
func (in *Intake) keep(name string, r io.Reader) (store.NewFile, error) {
	if len(in.files)+len(in.beside) >= in.bureau.Parts {
		return store.NewFile{}, invalid("a batch takes at most %d files", in.bureau.Parts)
	}
	where := shownPath(name)
	name = ShownName(name)
	most := in.bureau.Limits.Bytes
	sum, n, err := in.bureau.Vault.Put(r, most)
	if errors.Is(err, vault.ErrTooLarge) {
		return store.NewFile{}, invalid("%s is larger than the %d MB a file may have", name, most>>20)
	}
	if err != nil {
		return store.NewFile{}, fmt.Errorf("%s: %w", name, err)
	}
	return store.NewFile{Name: name, Path: where, SHA256: sum, Bytes: n}, nil
}

// unpack adds the mesh files of an archive, each as a part of its own, and what
// comes along with them.
func (in *Intake) unpack(src file.Source) error {
	before, beside := len(in.files), len(in.beside)
	err := archive.Walk(src, in.bureau.Limits, func(name string, r io.Reader) error {
		kept, err := in.keep(src.Name+"/"+name, r)
		if err != nil {
			return fmt.Errorf("%s: %w", src.Name, err)
		}
		in.sort(name, kept)
		return nil
	})
	var refused *file.Error
	if errors.As(err, &refused) {
		in.files, in.beside = in.files[:before], in.beside[:beside]
		return invalid("%v", refused)
	}
	return err
}

// Close records the batch; from then on its parts are worked on.
func (in *Intake) Close(ctx context.Context) (record.Batch, error) {
	if in.before != nil {
		return *in.before, nil
	}
	if len(in.files) == 0 {
		return record.Batch{}, invalid("a batch needs at least one STL, OBJ or 3MF file")
	}
	for i := range in.files {
		f := &in.files[i]
		if f.Expect = in.expect[f.Name]; f.Expect == "" {
			f.Expect = in.expect[""]
		}
	}
	if in.batch.Customer == "" {
		return record.Batch{}, invalid("a batch needs a customer")
	}
	if in.batch.Name == "" {
		in.batch.Name = in.files[0].Name
		if n := len(in.files); n > 1 {
			in.batch.Name += fmt.Sprintf(" and %d more", n-1)
		}
	}
	id, err := in.bureau.Store.AddBatch(ctx, in.batch, in.files, in.beside)
	if err != nil {
		return record.Batch{}, err
	}
	for _, done := range in.uploads {
		done()
	}
	return in.bureau.Store.Batch(ctx, id)
}

// ShownName makes an uploaded name fit to be shown and saved under: its last
// element, without control characters, not too long, never empty or all dots.
func ShownName(name string) string {
	name = path.Base(strings.ReplaceAll(strings.ToValidUTF8(name, "?"), `\`, "/"))
	name = strings.Map(func(r rune) rune {
		if unicode.IsControl(r) || unicode.In(r, unicode.Bidi_Control) || r == '/' {
			return -1
		}
		return r
	}, name)
	if runes := []rune(name); len(runes) > 180 {
		ext := []rune(path.Ext(name))
		name = string(runes[:180-min(len(ext), 20)]) + string(ext[:min(len(ext), 20)])
	}
	if strings.Trim(name, ". ") == "" {
		return "unnamed"
	}
	return name
}

// shownPath makes an uploaded path fit to be kept: each element a shown name,
// not too long altogether.
func shownPath(name string) string {
	var words []string
	for _, word := range strings.Split(strings.ReplaceAll(name, `\`, "/"), "/") {
		if word != "" && word != "." {
			words = append(words, ShownName(word))
		}
	}
	text := []rune(strings.Join(words, "/"))
	return string(text[max(0, len(text)-400):])
}
