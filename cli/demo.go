package cli

import (
	"context"
	"errors"
	"fmt"
	"io"
	"os"
	"path/filepath"

	"github.com/spf13/cobra"

	"veneer/api"
	"veneer/client"
	"veneer/demo"
)

const (
	demoName     = "operator"
	demoPassword = "tide-clock"
)

func demoCommand() *cobra.Command {
	var filesOnly string
	c := &cobra.Command{Use: "demo", Short: "Run a service with the demo set: the parts of a tide-clock exhibit", Args: cobra.NoArgs,
		Long: "Demo starts a service, makes the demo set and submits it as three batches, waits until they are checked and repaired,\n" +
			"and says where to look. Interrupt stops it; a second run finds its records again. With --files it only makes the files.",
		RunE: func(c *cobra.Command, args []string) error {
			if filesOnly != "" {
				batches, err := demo.Write(filesOnly)
				if err == nil {
					fmt.Fprintf(c.OutOrStdout(), "%d batches of files, and manifest.json with their known conditions, are in %s\n", len(batches), filesOnly)
				}
				return err
			}
			cfg, err := readConfig(c)
			if err != nil {
				return err
			}
			cfg.FirstUser, cfg.FirstPassword = demoName, demoPassword
			ctx, stop := context.WithCancel(c.Context())
			defer stop()
			var failed error
			shown := make(chan struct{})
			close(shown) // replaced once the service is ready
			err = serve(ctx, cfg, func(address, _ string) {
				done := make(chan struct{})
				shown = done
				go func() { // ends when all is shown, or with the service
					defer close(done)
					if failed = showDemo(ctx, c.OutOrStdout(), address, cfg.Data); failed != nil {
						stop()
					}
				}()
			})
			<-shown
			if failed != nil && c.Context().Err() == nil {
				return failed
			}
			return err
		}}
	serveFlags(c)
	c.Flags().StringVar(&filesOnly, "files", "", "only make the demo set's files, in this folder")
	return c
}

// showDemo submits the demo set unless it is there already, waits for it, and
// says where to look.
func showDemo(ctx context.Context, w io.Writer, address, data string) error {
	cl := &client.Client{Server: address}
	if _, err := cl.SignIn(ctx, demoName, demoPassword); err != nil {
		return fmt.Errorf("sign in to the demo: %w", err)
	}
	list, err := cl.Batches(ctx)
	if err != nil {
		return err
	}
	if len(list) == 0 {
		if err := submitDemo(ctx, w, cl, filepath.Join(data, "demo-set")); err != nil {
			return err
		}
		if list, err = cl.Batches(ctx); err != nil {
			return err
		}
	}
	for i := len(list) - 1; i >= 0; i-- {
		bar := newBar(list[i].Name)
		err := cl.WatchUntilDone(ctx, list[i].ID, func(b api.BatchWithParts) { bar.set(b.Batch.Name, b.Batch.Counts.Progress) })
		bar.clear()
		if err != nil {
			return err
		}
	}
	if list, err = cl.Batches(ctx); err != nil {
		return err
	}
	fmt.Fprintln(w)
	for i := len(list) - 1; i >= 0; i-- {
		fmt.Fprintf(w, "  batch %d  %-32s %s\n", list[i].ID, list[i].Name, countWords(list[i].Counts))
	}
	fmt.Fprintf(w, `
Veneer is ready at %s
  sign in as   %s
  password     %s

Look first at
  the fog bell in batch 1: three holes, shown where they are, filled as revision r1
  the hour hand in batch 2: is it 4.8 cm long or 4.8 inches? Choose, and it is checked again
  batch 3: six files that could not be read, each with the reason
  the bollard in batch 1: half a litre of material. Hollow it, under Mend, and cut it open

From another terminal:
  echo %s | bin/veneer login --server %s && bin/veneer batch list

Ctrl-C stops it; the records stay in %s.
`, address, demoName, demoPassword, demoPassword, address, data)
	return nil
}

func submitDemo(ctx context.Context, w io.Writer, cl *client.Client, dir string) error {
	fmt.Fprintf(w, "making the demo set in %s\n", dir)
	batches, err := demo.Write(dir)
	if err != nil {
		return err
	}
	for _, b := range batches {
		s := client.Submission{Name: b.Name, Customer: b.Customer, Process: b.Process}
		for _, f := range b.Files {
			s.Paths = append(s.Paths, filepath.Join(dir, b.Folder, f.Name))
			for name := range f.Beside() {
				s.Paths = append(s.Paths, filepath.Join(dir, b.Folder, name))
			}
		}
		if _, err := cl.Submit(ctx, s); err != nil {
			return errors.Join(fmt.Errorf("submit %s: %w", b.Name, err), os.RemoveAll(dir))
		}
	}
	return nil
}
