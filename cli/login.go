package cli

import (
	"bufio"
	"encoding/json"
	"errors"
	"fmt"
	"io/fs"
	"os"
	"path/filepath"
	"strings"

	"github.com/spf13/cobra"
	"golang.org/x/term"

	"veneer/client"
)

const defaultServer = "http://127.0.0.1:8780"

// session is what a sign-in leaves for the commands after it.
type session struct {
	Server string `json:"server"`
	Token  string `json:"token"`
}

func sessionFile() (string, error) {
	dir, err := os.UserConfigDir()
	return filepath.Join(dir, "veneer", "session.json"), err
}

// signedIn is a client for the service that VENEER_SERVER and VENEER_TOKEN
// name, or else the last sign-in.
func signedIn() (*client.Client, error) {
	s := session{Server: os.Getenv("VENEER_SERVER"), Token: os.Getenv("VENEER_TOKEN")}
	if s.Token == "" {
		path, err := sessionFile()
		if err != nil {
			return nil, err
		}
		text, err := os.ReadFile(path)
		if errors.Is(err, fs.ErrNotExist) {
			return nil, errors.New("sign in first: veneer login --server ADDRESS")
		}
		var kept session
		if err == nil {
			err = json.Unmarshal(text, &kept)
		}
		if err != nil {
			return nil, fmt.Errorf("read the last sign-in: %w; sign in again with veneer login", err)
		}
		if s.Server != "" && s.Server != kept.Server {
			return nil, fmt.Errorf("the last sign-in was at %s, not at %s; sign in there with veneer login", kept.Server, s.Server)
		}
		s = kept
	}
	if s.Server == "" {
		s.Server = defaultServer
	}
	return &client.Client{Server: s.Server, Token: s.Token}, nil
}

func loginCommand() *cobra.Command {
	var server, name string
	c := &cobra.Command{Use: "login", Short: "Sign in to a service, for the batch commands", Args: cobra.NoArgs,
		Long: "Login asks for a password (or reads it from standard input) and keeps the session's token in the user's configuration folder.",
		RunE: func(c *cobra.Command, args []string) error {
			password, err := readPassword(c)
			if err != nil {
				return err
			}
			cl := &client.Client{Server: server}
			person, err := cl.SignIn(c.Context(), name, password)
			if err != nil {
				return err
			}
			path, err := sessionFile()
			if err != nil {
				return err
			}
			text, err := json.Marshal(session{server, cl.Token})
			if err != nil {
				return err
			}
			if err := os.MkdirAll(filepath.Dir(path), 0o700); err != nil {
				return err
			}
			if err := os.WriteFile(path, text, 0o600); err != nil {
				return err
			}
			fmt.Fprintf(c.OutOrStdout(), "signed in at %s as %s (%s)\n", server, person.Name, person.Role)
			return nil
		}}
	c.Flags().StringVarP(&server, "server", "s", defaultServer, "the service's address")
	c.Flags().StringVarP(&name, "name", "n", "operator", "your name there")
	return c
}

func readPassword(c *cobra.Command) (string, error) {
	if fd := int(os.Stdin.Fd()); term.IsTerminal(fd) {
		fmt.Fprint(os.Stderr, "password: ")
		b, err := term.ReadPassword(fd)
		fmt.Fprintln(os.Stderr)
		return string(b), err
	}
	line, err := bufio.NewReader(c.InOrStdin()).ReadString('\n')
	if line = strings.TrimRight(line, "\r\n"); line == "" {
		return "", fmt.Errorf("no password given on standard input: %w", err)
	}
	return line, nil
}
