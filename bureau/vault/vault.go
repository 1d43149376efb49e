// Package vault keeps files by the SHA-256 of their bytes: what was received,
// what was made of it, pictures and view data. A file once in the vault never
// changes, and the same bytes are kept once.
package vault

import (
	"crypto/sha256"
	"encoding/hex"
	"errors"
	"fmt"
	"io"
	"os"
	"path/filepath"
)

// Vault is a folder of files named by their hashes.
type Vault struct{ dir string }

// ErrTooLarge says that a file went over the limit given to Put.
var ErrTooLarge = errors.New("the file is larger than allowed")

// Open uses a folder as vault, making it when missing, and clears what
// interrupted writes have left.
func Open(dir string) (*Vault, error) {
	v := &Vault{dir}
	if err := os.RemoveAll(v.incoming()); err != nil {
		return nil, err
	}
	return v, os.MkdirAll(v.incoming(), 0o700)
}

func (v *Vault) incoming() string { return filepath.Join(v.dir, "incoming") }

// Put copies a stream into the vault, at most limit bytes of it (0 for any
// number), and returns its hash and length. The bytes are on disk when Put
// returns; a failed Put leaves nothing.
func (v *Vault) Put(r io.Reader, limit int64) (sum string, n int64, err error) {
	tmp, err := os.CreateTemp(v.incoming(), "put-")
	if err != nil {
		return "", 0, err
	}
	defer func() {
		tmp.Close()
		if err != nil {
			os.Remove(tmp.Name())
		}
	}()
	if limit > 0 {
		r = io.LimitReader(r, limit+1)
	}
	hash := sha256.New()
	if n, err = io.Copy(io.MultiWriter(tmp, hash), r); err != nil {
		return "", n, err
	}
	if limit > 0 && n > limit {
		return "", n, ErrTooLarge
	}
	if err = tmp.Sync(); err != nil {
		return "", n, err
	}
	sum = hex.EncodeToString(hash.Sum(nil))
	final := v.Path(sum)
	if err = os.MkdirAll(filepath.Dir(final), 0o700); err != nil {
		return "", n, err
	}
	if err = os.Chmod(tmp.Name(), 0o400); err != nil {
		return "", n, err
	}
	return sum, n, os.Rename(tmp.Name(), final)
}

// Path is where the file with that hash lies.
func (v *Vault) Path(sum string) string {
	if len(sum) != 64 {
		return filepath.Join(v.dir, "none")
	}
	return filepath.Join(v.dir, sum[:2], sum[2:4], sum)
}

// Open opens the file with that hash for reading.
func (v *Vault) Open(sum string) (*os.File, error) {
	f, err := os.Open(v.Path(sum))
	if err != nil {
		return nil, fmt.Errorf("vault: %w", err)
	}
	return f, nil
}

// Remove takes a file out of the vault; it is fine when there is none.
func (v *Vault) Remove(sum string) error {
	if err := os.Remove(v.Path(sum)); err != nil && !errors.Is(err, os.ErrNotExist) {
		return err
	}
	return nil
}
