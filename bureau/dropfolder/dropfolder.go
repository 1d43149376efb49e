// Package dropfolder takes in batches that people or programs copy into a
// folder: every sub-folder is a batch.
//
// A sub-folder is taken once nothing in it has changed for a while, so that it
// is never taken half-written. It may hold a batch.json with name, customer and
// process. What was taken moves to the folder "taken", what was refused to
// "refused" with the reason beside it; nothing is deleted.
package dropfolder

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io/fs"
	"log/slog"
	"os"
	"path/filepath"
	"time"

	"veneer/bureau"
	"veneer/bureau/record"
)

// Folder is a drop folder that is watched.
type Folder struct {
	Dir    string
	Bureau *bureau.Bureau
	Quiet  time.Duration // how long nothing may have changed
	Log    *slog.Logger
}

const (
	taken    = "taken"
	refused  = "refused"
	settings = "batch.json"
	reason   = "refused.txt"
	person   = "drop folder"
)

// state is what a sub-folder looked like when it last changed.
type state struct {
	print string
	since time.Time
}

// Run watches until ctx is cancelled.
func (f *Folder) Run(ctx context.Context) {
	seen := map[string]state{}
	for {
		if err := f.look(ctx, seen); err != nil && ctx.Err() == nil {
			f.Log.Error("drop folder", "err", err)
		}
		select {
		case <-ctx.Done():
			return
		case <-time.After(max(f.Quiet/4, 50*time.Millisecond)):
		}
	}
}

// look takes the sub-folders that have been quiet for long enough.
func (f *Folder) look(ctx context.Context, seen map[string]state) error {
	entries, err := os.ReadDir(f.Dir)
	if err != nil {
		return err
	}
	for _, e := range entries {
		if !e.IsDir() || e.Name() == taken || e.Name() == refused || e.Name()[0] == '.' {
			continue
		}
		print, files, err := f.fingerprint(e.Name())
		if err != nil {
			return err
		}
		if s, known := seen[e.Name()]; !known || s.print != print {
			seen[e.Name()] = state{print, time.Now()}
			continue
		} else if len(files) == 0 || time.Since(s.since) < f.Quiet {
			continue
		}
		delete(seen, e.Name())
		if err := f.take(ctx, e.Name(), files); err != nil {
			return err
		}
	}
	return nil
}

// fingerprint tells a sub-folder's files with their sizes and times.
func (f *Folder) fingerprint(name string) (print string, files []string, err error) {
	root := filepath.Join(f.Dir, name)
	err = filepath.WalkDir(root, func(path string, d fs.DirEntry, err error) error {
		if errors.Is(err, fs.ErrNotExist) {
			return nil // it changes while we look: the next look sees it
		}
		if err != nil || !d.Type().IsRegular() {
			return err
		}
		info, err := d.Info()
		if err != nil {
			return nil
		}
		print += fmt.Sprintln(path, info.Size(), info.ModTime().UnixNano())
		if filepath.Base(path) != settings && filepath.Base(path)[0] != '.' {
			files = append(files, path)
		}
		return nil
	})
	return print, files, err
}

// take takes in one sub-folder and moves it away. A refusal is not an error.
func (f *Folder) take(ctx context.Context, name string, files []string) error {
	batch, err := f.submit(ctx, name, files)
	to, title := taken, ""
	switch {
	case errors.Is(err, bureau.ErrInvalid):
		to = refused
		if err := os.WriteFile(filepath.Join(f.Dir, name, reason), []byte(err.Error()+"\n"), 0o644); err != nil {
			return err
		}
		f.Log.Warn("drop folder refused a batch", "folder", name, "why", err)
	case err != nil:
		return fmt.Errorf("%s: %w", name, err)
	default:
		title = fmt.Sprintf("%d-", batch.ID)
		f.Log.Info("drop folder took a batch", "folder", name, "batch", batch.ID, "parts", batch.Counts.Parts)
	}
	if err := os.MkdirAll(filepath.Join(f.Dir, to), 0o755); err != nil {
		return err
	}
	target := filepath.Join(f.Dir, to, title+name)
	for n := 2; ; n++ { // the same name may have come before
		if _, err := os.Lstat(target); errors.Is(err, fs.ErrNotExist) {
			break
		}
		target = filepath.Join(f.Dir, to, fmt.Sprintf("%s%s-%d", title, name, n))
	}
	return os.Rename(filepath.Join(f.Dir, name), target)
}

func (f *Folder) submit(ctx context.Context, name string, files []string) (b record.Batch, err error) {
	in := f.Bureau.Receive(person)
	words := struct{ Name, Customer, Process, Expect string }{Name: name, Customer: "drop folder"}
	text, err := os.ReadFile(filepath.Join(f.Dir, name, settings))
	if err == nil {
		err = json.Unmarshal(text, &words)
		if err != nil {
			return b, fmt.Errorf("%w: %s: %v", bureau.ErrInvalid, settings, err)
		}
	} else if !errors.Is(err, fs.ErrNotExist) {
		return b, err
	}
	for _, w := range [][2]string{{"name", words.Name}, {"customer", words.Customer}, {"process", words.Process}, {"expect", words.Expect}} {
		if w[1] == "" {
			continue
		}
		if err := in.Set(ctx, w[0], w[1]); err != nil {
			return b, err
		}
	}
	for _, path := range files {
		if err := ctx.Err(); err != nil {
			return b, err
		}
		within, err := filepath.Rel(filepath.Join(f.Dir, name), path)
		if err != nil {
			return b, err
		}
		if err := addFile(in, path, within); err != nil {
			return b, err
		}
	}
	return in.Close(ctx)
}

func addFile(in *bureau.Intake, path, within string) error {
	file, err := os.Open(path)
	if err != nil {
		return err
	}
	defer file.Close()
	return in.Add(filepath.ToSlash(within), file)
}
