// Package e2e drives the real thing: the one binary as a service on loopback,
// its command line, and its console in headless Chromium.
package e2e

import (
	"bufio"
	"bytes"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"syscall"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"veneer/client"
	"veneer/demo"
)

var (
	binary  string // the program under test
	demoSet string // folder with the demo set's files
)

func TestMain(m *testing.M) {
	os.Exit(func() int {
		dir, err := os.MkdirTemp("", "veneer-e2e")
		if err != nil {
			panic(err)
		}
		defer os.RemoveAll(dir)
		binary = filepath.Join(dir, "veneer")
		if out, err := exec.Command("go", "build", "-o", binary, "veneer/cmd/veneer").CombinedOutput(); err != nil {
			panic(fmt.Sprintf("build: %v\n%s", err, out))
		}
		demoSet = filepath.Join(dir, "demo")
		if _, err := demo.Write(demoSet); err != nil {
			panic(err)
		}
		defer closeBrowser()
		return m.Run()
	}())
}

const (
	operator = "operator"
	password = "correct-tide"
)

// service is a running binary.
type service struct {
	cmd     *exec.Cmd
	address string
	log     *bytes.Buffer
	code    chan string // for the first administrator, when there is one
	exited  chan struct{}
}

// start starts the service on a data folder and waits until it is ready.
func start(t *testing.T, data string, args ...string) *service {
	t.Helper()
	return startWith(t, data, []string{"VENEER_FIRST_PASSWORD=" + password}, args...)
}

func startWith(t *testing.T, data string, env []string, args ...string) *service {
	t.Helper()
	s := &service{log: &bytes.Buffer{}, code: make(chan string, 1), exited: make(chan struct{})}
	s.cmd = exec.Command(binary, append([]string{"serve", "--listen", "127.0.0.1:0", "--data", data}, args...)...)
	s.cmd.Env = append(os.Environ(), env...)
	s.cmd.Stderr = s.log
	out, err := s.cmd.StdoutPipe()
	require.NoError(t, err)
	require.NoError(t, s.cmd.Start())
	t.Cleanup(func() { s.stop(t) })
	ready := make(chan string, 1)
	go func() { // ends with the service, whose output it reads
		lines := bufio.NewScanner(out)
		for lines.Scan() {
			if at, ok := strings.CutPrefix(lines.Text(), "Veneer is ready at "); ok {
				ready <- at
			}
			if _, code, ok := strings.Cut(lines.Text(), "with the code "); ok {
				s.code <- code
			}
		}
		s.cmd.Wait()
		close(s.exited)
	}()
	select {
	case s.address = <-ready:
	case <-s.exited:
		require.FailNow(t, "the service did not start", s.log.String())
	case <-time.After(60 * time.Second):
		require.FailNow(t, "the service is not ready")
	}
	return s
}

// stop interrupts the service, which must end in good order.
func (s *service) stop(t *testing.T) {
	if s.cmd.Process.Signal(os.Interrupt) != nil {
		return // it is gone already
	}
	select {
	case <-s.exited:
		if !t.Failed() && s.cmd.ProcessState.ExitCode() > 0 {
			t.Errorf("the service ended with %v\n%s", s.cmd.ProcessState, s.log)
		}
	case <-time.After(30 * time.Second):
		s.kill()
		t.Error("the service does not stop")
	}
}

// kill ends the service as a power cut would.
func (s *service) kill() {
	s.cmd.Process.Signal(syscall.SIGKILL)
	<-s.exited
}

func (s *service) client(t *testing.T) *client.Client {
	t.Helper()
	c := &client.Client{Server: s.address}
	_, err := c.SignIn(t.Context(), operator, password)
	require.NoError(t, err)
	return c
}

func demoFile(t *testing.T, name string) string {
	t.Helper()
	found, err := filepath.Glob(filepath.Join(demoSet, "*", name))
	require.NoError(t, err)
	require.Len(t, found, 1, name)
	return found[0]
}
