// Package bureau is what the service does, in the trade's words: it takes in
// batches, keeps what was received, has parts checked and mended, and says who
// may do what. It knows nothing of HTTP.
package bureau

import (
	"context"
	"crypto/rand"
	"crypto/sha256"
	"encoding/hex"
	"errors"
	"fmt"
	"io"
	"path"
	"slices"
	"strings"
	"time"
	"unicode"

	"github.com/alexedwards/argon2id"

	"veneer/bureau/record"
	"veneer/bureau/store"
	"veneer/bureau/vault"
	"veneer/core/format/archive"
	"veneer/core/format/file"
	"veneer/core/process"
	"veneer/core/unit"
)

// ErrInvalid marks requests that cannot be met as they are; its message says why.
var ErrInvalid = errors.New("invalid request")

// ErrSignIn says that name and password do not belong together.
var ErrSignIn = errors.New("name or password is wrong")

func invalid(format string, a ...any) error {
	return fmt.Errorf("%w: %s", ErrInvalid, fmt.Sprintf(format, a...))
}

// Bureau ties the records to the files.
type Bureau struct {
	Store     *store.Store
	Vault     *vault.Vault
	Limits    file.Limits // of files, and of what archives may unpack to
	Parts     int         // most files in one batch
	Session   time.Duration
	Passwords *argon2id.Params // nil for the default strength
}

// Intake gathers a batch while its files stream in.
type Intake struct {
	bureau *Bureau
	batch  record.Batch
	files  []store.NewFile
}

// Receive begins a batch in a person's name.
func (b *Bureau) Receive(person string) *Intake {
	return &Intake{bureau: b, batch: record.Batch{Process: process.Default, AutoRepair: true, CreatedBy: person}}
}

// Set takes one of the batch's words: name, customer, process or repair (auto or none).
func (in *Intake) Set(field, value string) error {
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
		if _, err := process.Named(value); err != nil {
			return invalid("%v", err)
		}
		in.batch.Process = value
	case "repair":
		if value != "auto" && value != "none" {
			return invalid("repair is auto or none, not %q", value)
		}
		in.batch.AutoRepair = value == "auto"
	default:
		return invalid("a batch has no field %q", field)
	}
	return nil
}

// Add streams one file into the vault. Its name is kept for showing only.
func (in *Intake) Add(name string, r io.Reader) error {
	kept, err := in.keep(name, r)
	if err != nil {
		return err
	}
	f, err := in.bureau.Vault.Open(kept.SHA256)
	if err != nil {
		return err
	}
	defer f.Close()
	if src := (file.Source{Name: kept.Name, R: f, Size: kept.Bytes}); archive.Is(src) {
		return in.unpack(src)
	}
	in.files = append(in.files, kept)
	return nil
}

// keep puts one file into the vault, while the batch has room for it.
func (in *Intake) keep(name string, r io.Reader) (store.NewFile, error) {
	if len(in.files) >= in.bureau.Parts {
		return store.NewFile{}, invalid("a batch takes at most %d files", in.bureau.Parts)
	}
	name = ShownName(name)
	most := in.bureau.Limits.Bytes
	sum, n, err := in.bureau.Vault.Put(r, most)
	if errors.Is(err, vault.ErrTooLarge) {
		return store.NewFile{}, invalid("%s is larger than the %d MB a file may have", name, most>>20)
	}
	if err != nil {
		return store.NewFile{}, fmt.Errorf("%s: %w", name, err)
	}
	return store.NewFile{Name: name, SHA256: sum, Bytes: n}, nil
}

// unpack adds the mesh files of an archive, each as a part of its own.
func (in *Intake) unpack(src file.Source) error {
	before := len(in.files)
	err := archive.Walk(src, in.bureau.Limits, func(name string, r io.Reader) error {
		if !archive.Mesh(name) {
			return nil
		}
		kept, err := in.keep(name, r)
		if err != nil {
			return fmt.Errorf("%s: %w", src.Name, err)
		}
		in.files = append(in.files, kept)
		return nil
	})
	var refused *file.Error
	if errors.As(err, &refused) {
		in.files = in.files[:before]
		return invalid("%v", refused)
	}
	return err
}

// Close records the batch; from then on its parts are worked on.
func (in *Intake) Close(ctx context.Context) (record.Batch, error) {
	if len(in.files) == 0 {
		return record.Batch{}, invalid("a batch needs at least one file")
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
	id, err := in.bureau.Store.AddBatch(ctx, in.batch, in.files)
	if err != nil {
		return record.Batch{}, err
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

// SetUnit says in which unit a part's numbers are; it is then checked again.
// With alike, the same goes for all parts of the batch whose unit is in doubt.
func (b *Bureau) SetUnit(ctx context.Context, person string, part int64, name string, alike bool) error {
	if _, err := unit.Millimetres(name); err != nil {
		return invalid("%v", err)
	}
	p, err := b.Store.Part(ctx, part)
	if err != nil {
		return err
	}
	if p.Verdict == "reject" {
		return invalid("%s could not be read; a unit does not help", p.Name)
	}
	if err := b.Store.SetUnit(ctx, person, part, name); err != nil || !alike {
		return err
	}
	parts, err := b.Store.Parts(ctx, p.BatchID)
	if err != nil {
		return err
	}
	for _, q := range parts {
		inDoubt := slices.ContainsFunc(q.Findings, func(f record.Finding) bool { return f.Kind == "unit" })
		if q.ID == part || !inDoubt || q.UnitSet != "" {
			continue
		}
		if err := b.Store.SetUnit(ctx, person, q.ID, name); err != nil && !errors.Is(err, store.ErrBusy) {
			return err
		}
	}
	return nil
}

// Repair has a part mended, when its verdict calls for it.
func (b *Bureau) Repair(ctx context.Context, person string, part int64) error {
	r, err := b.Store.Revision(ctx, part, 0)
	if err != nil {
		return err
	}
	switch r.Verdict {
	case "repair":
		return b.Store.AskRepair(ctx, person, part)
	case "hold":
		return invalid("a question about the part is open; answer it first")
	case "pass":
		return invalid("the part passes as received; there is nothing to repair")
	}
	return invalid("there is nothing that a repair could work on")
}

// AddPerson lets somebody sign in.
func (b *Bureau) AddPerson(ctx context.Context, by, name, password string, role record.Role) error {
	if name = strings.TrimSpace(name); name == "" || len([]rune(name)) > 100 {
		return invalid("a name has 1 to 100 letters")
	}
	if len(password) < 8 {
		return invalid("a password has at least 8 characters")
	}
	if role != record.Viewer && role != record.Operator {
		return invalid("a role is viewer or operator, not %q", role)
	}
	hash, err := argon2id.CreateHash(password, b.strength())
	if err != nil {
		return err
	}
	return b.Store.AddPerson(ctx, by, record.Person{Name: name, Role: role, PasswordHash: hash})
}

func (b *Bureau) strength() *argon2id.Params {
	if b.Passwords != nil {
		return b.Passwords
	}
	return argon2id.DefaultParams
}

// SignIn begins a session and returns its token.
func (b *Bureau) SignIn(ctx context.Context, name, password string) (token string, p record.Person, err error) {
	p, err = b.Store.PersonNamed(ctx, name)
	hash := p.PasswordHash
	if errors.Is(err, store.ErrNotFound) {
		hash = absent // spend the same time, so that nobody learns which names exist
	} else if err != nil {
		return "", p, err
	}
	if match, err := argon2id.ComparePasswordAndHash(password, hash); err != nil || !match || p.ID == 0 {
		return "", p, ErrSignIn
	}
	secret := make([]byte, 32)
	rand.Read(secret)
	token = hex.EncodeToString(secret)
	return token, p, b.Store.AddSession(ctx, tokenHash(token), p.ID, time.Now().Add(b.Session))
}

// absent is the hash of no password anybody has.
const absent = "$argon2id$v=19$m=65536,t=1,p=2$AAAAAAAAAAAAAAAAAAAAAA$AAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAA"

// Who is whose token it is.
func (b *Bureau) Who(ctx context.Context, token string) (record.Person, error) {
	return b.Store.SessionPerson(ctx, tokenHash(token))
}

// SignOut ends a session.
func (b *Bureau) SignOut(ctx context.Context, token string) error {
	return b.Store.EndSession(ctx, tokenHash(token))
}

func tokenHash(token string) string {
	sum := sha256.Sum256([]byte(token))
	return hex.EncodeToString(sum[:])
}
