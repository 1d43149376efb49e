package cli

import (
	"fmt"
	"io"
	"os"
	"path/filepath"

	"github.com/spf13/cobra"

	"veneer/bureau"
	"veneer/bureau/store"
	"veneer/bureau/store/server"
	"veneer/bureau/vault"
	"veneer/client"
)

func backupCommand() *cobra.Command {
	var out string
	c := &cobra.Command{
		Use: "backup -o FILE", Short: "Fetch a backup of a service's records and files, while it runs", Args: cobra.NoArgs,
		Long: "The backup is a tar with the records as they are at one moment and every file that they need. It takes an administrator's sign-in.",
		RunE: func(c *cobra.Command, args []string) error {
			if out == "" {
				return fmt.Errorf("name the file to write with -o FILE")
			}
			return withClient(func(cl *client.Client) error {
				return fetchTo(out, func(w io.Writer) error { return cl.Backup(c.Context(), w) })
			})
		},
	}
	c.Flags().StringVarP(&out, "output", "o", "", "file to write")
	return c
}

func restoreCommand() *cobra.Command {
	var data, database string
	c := &cobra.Command{
		Use: "restore FILE", Short: "Put a backup into an empty folder, from which veneer serve goes on", Args: cobra.ExactArgs(1),
		RunE: func(c *cobra.Command, args []string) error {
			f, err := os.Open(args[0])
			if err != nil {
				return err
			}
			defer f.Close()
			if err := os.MkdirAll(data, 0o700); err != nil {
				return err
			}
			unlock, err := lockFolder(data)
			if err != nil {
				return err
			}
			defer unlock()
			if database == "" {
				db, err := server.Start(c.Context(), server.Options{Dir: filepath.Join(data, "mariadb")})
				if err != nil {
					return err
				}
				defer db.Stop()
				database = db.DSN("veneer")
			}
			records, err := store.Open(c.Context(), database)
			if err != nil {
				return err
			}
			defer records.Close()
			files, err := vault.Open(filepath.Join(data, "vault"))
			if err != nil {
				return err
			}
			n, err := bureau.Restore(c.Context(), records, files, f)
			if err == nil {
				fmt.Fprintf(c.OutOrStdout(), "restored, with %d files; go on with veneer serve --data %s\n", n, data)
			}
			return err
		},
	}
	c.Flags().StringVar(&data, "data", ".veneer", "folder to restore into")
	c.Flags().StringVar(&database, "database", "", "MariaDB to restore into (default: a private one in the folder)")
	return c
}

func vaultCommand() *cobra.Command {
	c := &cobra.Command{Use: "vault", Short: "The files that a service keeps"}
	c.AddCommand(&cobra.Command{
		Use: "verify", Short: "Read every file and compare it with its hash", Args: cobra.NoArgs,
		Long: "Exit code: 0 all files are what they were, 1 some are not; they are named.",
		RunE: func(c *cobra.Command, args []string) error {
			return withClient(func(cl *client.Client) error {
				v, err := cl.VerifyVault(c.Context())
				if err != nil {
					return err
				}
				for _, d := range v.Bad {
					what := "its bytes changed"
					if d.Missing {
						what = "it is gone"
					}
					fmt.Fprintf(c.OutOrStdout(), "%s: %s\n", d.SHA256, what)
				}
				if len(v.Bad) > 0 {
					return exit{somePass}
				}
				fmt.Fprintf(c.OutOrStdout(), "all %d files are what they were\n", v.Files)
				return nil
			})
		},
	})
	return c
}
