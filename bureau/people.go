package bureau

import (
	"context"
	"crypto/rand"
	"crypto/sha256"
	"crypto/subtle"
	"encoding/hex"
	"errors"
	"fmt"
	"net/url"
	"slices"
	"strings"
	"time"

	"github.com/alexedwards/argon2id"

	"veneer/bureau/record"
	"veneer/bureau/store"
)

// ErrSignIn says that name and password do not belong together.
var ErrSignIn = errors.New("name or password is wrong")

// ErrLocked says that somebody gave too many wrong passwords.
var ErrLocked = errors.New("too many wrong passwords")

// Somebody who gives so many wrong passwords one after the other is locked out for a
// while, which doubles with each more.
const (
	mostFailures = 5
	lockedOut    = time.Minute
)

// AddPerson lets somebody sign in.
func (b *Bureau) AddPerson(ctx context.Context, by, name, password string, role record.Role) error {
	if name = strings.TrimSpace(name); name == "" || len([]rune(name)) > 100 {
		return invalid("a name has 1 to 100 letters")
	}
	hash, err := b.hash(password, role)
	if err != nil {
		return err
	}
	if err := b.Store.AddPerson(ctx, by, record.Person{Name: name, Role: role, PasswordHash: hash}); errors.Is(err, store.ErrTaken) {
		return invalid("%v", err)
	} else if err != nil {
		return err
	}
	return nil
}

// hash checks a password and a role, and hashes the one.
func (b *Bureau) hash(password string, role record.Role) (string, error) {
	if !slices.Contains(record.Roles, role) {
		return "", invalid("a role is viewer, operator, lead or administrator, not %q", role)
	}
	if len(password) < 8 || len(password) > 1000 {
		return "", invalid("a password has at least 8 characters")
	}
	return argon2id.CreateHash(password, b.strength())
}

// First lets the first administrator in, by the code that the service printed.
func (b *Bureau) First(ctx context.Context, code, name, password string) error {
	n, err := b.Store.People(ctx)
	if err != nil {
		return err
	}
	if n > 0 || b.FirstCode == "" {
		return invalid("there is an administrator already; ask them for an account")
	}
	if subtle.ConstantTimeCompare([]byte(strings.TrimSpace(code)), []byte(b.FirstCode)) != 1 {
		return ErrSignIn
	}
	return b.AddPerson(ctx, "veneer", name, password, record.Administrator)
}

// ChangePerson sets somebody's role, whether they may sign in, and their password when
// it is not empty.
func (b *Bureau) ChangePerson(ctx context.Context, by string, id int64, role record.Role, active bool, password string) error {
	hash, err := "", error(nil)
	if password != "" {
		hash, err = b.hash(password, role)
	} else if !slices.Contains(record.Roles, role) {
		err = invalid("a role is viewer, operator, lead or administrator, not %q", role)
	}
	if err != nil {
		return err
	}
	if err := b.Store.ChangePerson(ctx, by, id, role, active, hash); errors.Is(err, store.ErrLast) {
		return invalid("%v", err)
	} else if err != nil {
		return err
	}
	return nil
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
	if p.LockedUntil != nil && time.Now().Before(*p.LockedUntil) {
		return "", p, fmt.Errorf("%w; try again in %s", ErrLocked, time.Until(*p.LockedUntil).Round(time.Second))
	}
	match, err := argon2id.ComparePasswordAndHash(password, hash)
	if err != nil || !match || p.ID == 0 || !p.Active {
		if p.ID == 0 {
			return "", p, ErrSignIn
		}
		wait := lockedOut << min(max(p.Failures+1-mostFailures, 0), 6)
		return "", p, errors.Join(ErrSignIn, b.Store.SignInFailed(ctx, p.ID, mostFailures, time.Now().Add(wait)))
	}
	token = secret("")
	return token, p, b.Store.AddSession(ctx, tokenHash(token), p.ID, time.Now().Add(b.Session))
}

// absent is the hash of no password anybody has.
const absent = "$argon2id$v=19$m=65536,t=1,p=2$AAAAAAAAAAAAAAAAAAAAAA$AAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAA"

// secret is a new token that nobody can guess.
func secret(prefix string) string {
	bytes := make([]byte, 32)
	rand.Read(bytes)
	return prefix + hex.EncodeToString(bytes)
}

// NewToken makes a personal token for programs, which lasts so many days. It is told
// this once; only its hash is kept.
func (b *Bureau) NewToken(ctx context.Context, p record.Person, name string, scope record.Scope, days int) (token string, t record.Token, err error) {
	if name = strings.TrimSpace(name); name == "" || len([]rune(name)) > 100 {
		return "", t, invalid("a token's name has 1 to 100 letters")
	}
	if scope != record.Everything && scope != record.Reading {
		return "", t, invalid("a token is for %s or %s, not %q", record.Everything, record.Reading, scope)
	}
	if days < 1 || days > 366 {
		return "", t, invalid("a token lasts 1 to 366 days")
	}
	token = secret("vnr_")
	t, err = b.Store.AddToken(ctx, p.Name, record.Token{PersonID: p.ID, Name: name, Scope: scope, ExpiresAt: time.Now().Add(time.Duration(days) * 24 * time.Hour).UTC().Truncate(time.Second)}, tokenHash(token))
	return token, t, err
}

// Who is whose token it is, and what that is for.
func (b *Bureau) Who(ctx context.Context, token string) (record.Person, record.Scope, error) {
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

// AddNote keeps what somebody writes about a part, or about a kind of finding of it.
func (b *Bureau) AddNote(ctx context.Context, person string, part int64, kind, text string) error {
	if text = strings.TrimSpace(text); text == "" || len([]rune(text)) > 4000 {
		return invalid("a note has 1 to 4000 letters")
	}
	if len(kind) > 40 {
		return invalid("no kind of finding is called %q", kind)
	}
	return b.Store.AddNote(ctx, person, part, kind, text)
}

// Decide approves what was proposed, or sends it back, which wants a remark. Where the
// bureau wants another, who proposed does not approve.
func (b *Bureau) Decide(ctx context.Context, person string, part int64, approve bool, remark string) error {
	if remark = strings.TrimSpace(remark); !approve && remark == "" {
		return invalid("say why it is sent back")
	}
	if len([]rune(remark)) > 1000 {
		return invalid("a remark has at most 1000 letters")
	}
	return b.Store.Decide(ctx, person, part, approve, b.Another, remark)
}

// NewLink makes an address that shows one part's report and its files to whoever has it,
// for so many days. Its token is told this once.
func (b *Bureau) NewLink(ctx context.Context, person string, part int64, days int) (string, error) {
	if days < 1 || days > 366 {
		return "", invalid("a link lasts 1 to 366 days")
	}
	token := secret("vnl_")
	return token, b.Store.AddLink(ctx, person, part, tokenHash(token), time.Now().Add(time.Duration(days)*24*time.Hour))
}

// Linked is the part that a link shows.
func (b *Bureau) Linked(ctx context.Context, token string) (int64, error) {
	return b.Store.LinkedPart(ctx, tokenHash(token))
}

// NewHook has an address told when a batch is done or a question opens. The secret by
// which posts are signed is told this once.
func (b *Bureau) NewHook(ctx context.Context, person, address string) (h record.Hook, key string, err error) {
	u, err := url.Parse(address)
	if err != nil || u.Scheme != "https" && u.Scheme != "http" || u.Host == "" || len(address) > 500 {
		return h, "", invalid("a hook's address begins with https:// or http://")
	}
	key = secret("")
	h, err = b.Store.AddHook(ctx, person, address, key)
	return h, key, err
}
