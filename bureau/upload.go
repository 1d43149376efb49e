package bureau

import (
	"crypto/rand"
	"encoding/hex"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"sync"
	"time"

	"veneer/bureau/store"
)

// Uploads are files on their way in, piece by piece: a connection that breaks
// loses nothing of what was acknowledged, and a service that was killed finds
// them again. Those that nobody goes on with go after a day.
type Uploads struct {
	dir  string
	lock sync.Mutex
	busy map[string]bool // those that a piece is being added to
}

// Upload is a file on its way in.
type Upload struct {
	ID     string `json:"id"`
	Name   string `json:"name"`
	Bytes  int64  `json:"bytes"`  // when it is whole
	Offset int64  `json:"offset"` // that are here
	Person string `json:"-"`
}

// ErrOffset says that a piece does not begin where the last one ended.
var ErrOffset = errors.New("the piece does not go on where the upload is; ask how far it is")

const uploadsKept = 24 * time.Hour

// OpenUploads uses a folder for uploads.
func OpenUploads(dir string) (*Uploads, error) {
	return &Uploads{dir: dir, busy: map[string]bool{}}, os.MkdirAll(dir, 0o700)
}

// Begin makes room for a file of so many bytes.
func (u *Uploads) Begin(person, name string, bytes, most int64) (Upload, error) {
	if bytes < 1 || bytes > most {
		return Upload{}, invalid("a file has 1 byte to %d MB", most>>20)
	}
	u.sweep()
	secret := make([]byte, 16)
	rand.Read(secret)
	up := Upload{ID: hex.EncodeToString(secret), Name: ShownName(name), Bytes: bytes, Person: person}
	text, err := json.Marshal(struct {
		Upload
		Person string `json:"person"`
	}{up, person})
	if err != nil {
		return Upload{}, err
	}
	return up, errors.Join(os.WriteFile(u.path(up.ID)+".json", text, 0o600), os.WriteFile(u.path(up.ID), nil, 0o600))
}

func (u *Uploads) path(id string) string { return filepath.Join(u.dir, id) }

// Find tells of a person's upload, and how far it is.
func (u *Uploads) Find(person, id string) (Upload, error) {
	if len(id) != 32 {
		return Upload{}, store.ErrNotFound
	}
	if _, err := hex.DecodeString(id); err != nil {
		return Upload{}, store.ErrNotFound
	}
	text, err := os.ReadFile(u.path(id) + ".json")
	if err != nil {
		return Upload{}, store.ErrNotFound
	}
	var kept struct {
		Upload
		Person string `json:"person"`
	}
	if err := json.Unmarshal(text, &kept); err != nil || kept.Person != person {
		return Upload{}, store.ErrNotFound
	}
	info, err := os.Stat(u.path(id))
	if err != nil {
		return Upload{}, store.ErrNotFound
	}
	kept.Upload.Offset, kept.Upload.Person = info.Size(), person
	return kept.Upload, nil
}

// Add adds a piece that begins at offset, as far as it comes, and returns what is
// here then; it is on disk by that time. One piece at a time is added to an upload.
func (u *Uploads) Add(person, id string, offset int64, piece io.Reader) (Upload, error) {
	u.lock.Lock()
	if u.busy[id] {
		u.lock.Unlock()
		return Upload{}, ErrOffset
	}
	u.busy[id] = true
	u.lock.Unlock()
	defer func() {
		u.lock.Lock()
		delete(u.busy, id)
		u.lock.Unlock()
	}()
	up, err := u.Find(person, id)
	if err != nil {
		return up, err
	}
	if offset != up.Offset {
		return up, ErrOffset
	}
	f, err := os.OpenFile(u.path(id), os.O_WRONLY|os.O_APPEND, 0)
	if err != nil {
		return up, err
	}
	defer f.Close()
	n, copied := io.Copy(f, io.LimitReader(piece, up.Bytes-offset+1))
	if offset+n > up.Bytes {
		return up, errors.Join(invalid("the upload is longer than the %d bytes that it was announced with", up.Bytes), f.Truncate(offset))
	}
	up.Offset += n
	if err := f.Sync(); err != nil {
		return up, err
	}
	if copied != nil {
		return up, fmt.Errorf("%w: the piece broke off: %v", ErrInvalid, copied)
	}
	return up, nil
}

// AddUpload takes a whole upload into the batch.
func (in *Intake) AddUpload(u *Uploads, person, id string) error {
	if in.before != nil {
		return nil
	}
	up, err := u.Find(person, id)
	if err != nil {
		return invalid("there is no such upload, or it is too old")
	}
	if up.Offset != up.Bytes {
		return invalid("the upload of %s is not whole yet: %d of %d bytes are here", up.Name, up.Offset, up.Bytes)
	}
	f, err := os.Open(u.path(id))
	if err != nil {
		return err
	}
	defer f.Close()
	if err := in.Add(up.Name, f); err != nil {
		return err
	}
	in.uploads = append(in.uploads, func() { u.drop(id) })
	return nil
}

func (u *Uploads) drop(id string) {
	os.Remove(u.path(id))
	os.Remove(u.path(id) + ".json")
}

// sweep takes those away that nobody went on with.
func (u *Uploads) sweep() {
	entries, err := os.ReadDir(u.dir)
	if err != nil {
		return
	}
	for _, e := range entries {
		if info, err := e.Info(); err == nil && time.Since(info.ModTime()) > uploadsKept && filepath.Ext(e.Name()) == "" {
			u.drop(e.Name())
		}
	}
}
