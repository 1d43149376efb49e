package bureau

import (
	"archive/tar"
	"context"
	"crypto/sha256"
	"encoding/hex"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"os"
	"strings"
	"time"

	"veneer/bureau/store"
	"veneer/bureau/vault"
)

// A backup is a tar with the records as they were at one moment, and then every file
// of the vault that they need. Files are in the vault before a record names them and
// never change, so what is read after the records is all there.

const recordsName = "records.jsonl"

// Backup writes a backup of everything.
func (b *Bureau) Backup(ctx context.Context, out io.Writer) error {
	tmp, err := os.CreateTemp("", "veneer-records-")
	if err != nil {
		return err
	}
	defer os.Remove(tmp.Name())
	defer tmp.Close()
	if err := b.Store.Dump(ctx, tmp); err != nil {
		return err
	}
	z := tar.NewWriter(out)
	add := func(name string, f *os.File) error {
		info, err := f.Stat()
		if err != nil {
			return err
		}
		if _, err := f.Seek(0, io.SeekStart); err != nil {
			return err
		}
		if err := z.WriteHeader(&tar.Header{Name: name, Mode: 0o600, Size: info.Size(), ModTime: info.ModTime()}); err != nil {
			return err
		}
		_, err = io.Copy(z, io.LimitReader(f, info.Size()))
		return err
	}
	if err := add(recordsName, tmp); err != nil {
		return err
	}
	err = b.files(ctx, func(sum string, f *os.File) error {
		if f == nil {
			return nil // taken away by a rule of keeping, or lost: the verification tells which
		}
		return add("vault/"+sum, f)
	})
	return errors.Join(err, z.Close())
}

// files calls see with every file that some record needs, nil for one that is gone.
func (b *Bureau) files(ctx context.Context, see func(sum string, f *os.File) error) error {
	sums, err := b.Store.Files(ctx)
	if err != nil {
		return err
	}
	for _, sum := range sums {
		if err := ctx.Err(); err != nil {
			return err
		}
		f, err := b.Vault.Open(sum)
		if err != nil && !errors.Is(err, fs.ErrNotExist) {
			return err
		}
		err = see(sum, f)
		f.Close() // of none, too
		if err != nil {
			return err
		}
	}
	return nil
}

// Restore puts a backup into empty records and an empty vault. Each file's bytes must
// match its name.
func Restore(ctx context.Context, s *store.Store, v *vault.Vault, in io.Reader) (files int, err error) {
	z := tar.NewReader(in)
	loaded := false
	for {
		h, err := z.Next()
		if err == io.EOF {
			break
		}
		if err != nil {
			return files, fmt.Errorf("the backup is cut short or is none: %w", err)
		}
		if h.Name == recordsName {
			if err := s.Load(ctx, z); err != nil {
				return files, err
			}
			loaded = true
			continue
		}
		want, is := strings.CutPrefix(h.Name, "vault/")
		if !is || len(want) != 64 {
			return files, fmt.Errorf("the backup holds %q, which is none of ours", h.Name)
		}
		sum, _, err := v.Put(z, 0)
		if err != nil {
			return files, err
		}
		if sum != want {
			return files, fmt.Errorf("the bytes of %s do not match their name; the backup is damaged", want)
		}
		files++
	}
	if !loaded {
		return files, errors.New("the backup has no records")
	}
	return files, nil
}

// Damage is a file of the vault that is missing, or whose bytes changed.
type Damage struct {
	SHA256  string `json:"sha256"`
	Missing bool   `json:"missing"`
}

// VerifyVault reads every file that some record needs, and lists those whose bytes no
// longer match their hash and those that are gone.
func (b *Bureau) VerifyVault(ctx context.Context) (files int, bad []Damage, err error) {
	bad = []Damage{}
	err = b.files(ctx, func(sum string, f *os.File) error {
		files++
		if f == nil {
			bad = append(bad, Damage{sum, true})
			return nil
		}
		hash := sha256.New()
		if _, err := io.Copy(hash, f); err != nil {
			return err
		}
		if hex.EncodeToString(hash.Sum(nil)) != sum {
			bad = append(bad, Damage{sum, false})
		}
		return nil
	})
	return files, bad, err
}

// DropOriginals takes files as received out of the vault that came before a day, and
// that nothing newer needs; their records stay for ever. It tells how many went.
func (b *Bureau) DropOriginals(ctx context.Context, before time.Time) (int, error) {
	sums, err := b.Store.OldOriginals(ctx, before)
	if err != nil {
		return 0, err
	}
	for i, sum := range sums {
		if err := b.Vault.Remove(sum); err != nil {
			return i, err
		}
	}
	if len(sums) > 0 {
		err = b.Store.Note(ctx, "veneer", "originals dropped", map[string]any{"files": len(sums), "before": before.UTC().Format(time.DateOnly)})
	}
	return len(sums), err
}
