// Package server runs a private MariaDB on loopback, from Debian's packages,
// with its data below one folder: for a bureau with one machine, and for tests.
package server

import (
	"context"
	"crypto/rand"
	"database/sql"
	"encoding/hex"
	"errors"
	"fmt"
	"net"
	"os"
	"os/exec"
	"os/user"
	"path/filepath"
	"strconv"
	"strings"
	"syscall"
	"time"

	"github.com/go-sql-driver/mysql"
)

// Server is a running MariaDB that belongs to this process.
type Server struct {
	cmd      *exec.Cmd
	exited   chan struct{} // closed by the one goroutine that waits for the process
	port     int
	password string
	socket   string
	log      string
	self     string
}

// Options of a private server.
type Options struct {
	Dir       string // its folder; made when missing
	Throwaway bool   // for tests: trade durability for speed
}

// Start starts the server, laying its folder out first when it is new. It
// waits for an earlier server on the same folder to finish stopping. The
// server stops when this process dies, however it dies.
func Start(ctx context.Context, opt Options) (*Server, error) {
	daemon, err := find("mariadbd")
	if err != nil {
		return nil, err
	}
	me, err := user.Current()
	if err != nil {
		return nil, err
	}
	dir, err := filepath.Abs(opt.Dir)
	if err != nil {
		return nil, err
	}
	if err := os.MkdirAll(dir, 0o700); err != nil {
		return nil, err
	}
	s := &Server{socket: filepath.Join(dir, "m.sock"), log: filepath.Join(dir, "error.log"), self: me.Username, exited: make(chan struct{})}
	if len(s.socket) > 107 { // of a Unix socket's path
		tmp, err := os.MkdirTemp("", "vn")
		if err != nil {
			return nil, err
		}
		s.socket = filepath.Join(tmp, "m.sock")
	}
	if err := awaitEarlier(ctx, filepath.Join(dir, "m.pid")); err != nil {
		return nil, err
	}
	data := filepath.Join(dir, "data")
	if _, err := os.Stat(filepath.Join(data, "mysql")); err != nil {
		if err := layOut(ctx, data, me.Username); err != nil {
			return nil, err
		}
	}
	if s.port, err = freePort(); err != nil {
		return nil, err
	}
	args := []string{"--no-defaults", "--datadir=" + data, "--socket=" + s.socket, "--port=" + strconv.Itoa(s.port),
		"--bind-address=127.0.0.1", "--pid-file=" + filepath.Join(dir, "m.pid"), "--log-error=" + s.log, "--tmpdir=" + dir,
		"--skip-log-bin", "--skip-name-resolve", "--character-set-server=utf8mb4", "--collation-server=utf8mb4_unicode_ci",
		"--default-time-zone=+00:00", "--max-allowed-packet=64M", "--innodb-log-file-size=64M", "--user=" + me.Username,
		"--sql-mode=STRICT_TRANS_TABLES,ERROR_FOR_DIVISION_BY_ZERO,NO_AUTO_CREATE_USER,NO_ENGINE_SUBSTITUTION"}
	if opt.Throwaway {
		args = append(args, "--innodb-flush-log-at-trx-commit=0", "--innodb-flush-method=nosync", "--innodb-doublewrite=0", "--innodb-buffer-pool-size=64M")
	}
	s.cmd = exec.Command(daemon, args...)
	s.cmd.SysProcAttr = &syscall.SysProcAttr{Setpgid: true, Pdeathsig: syscall.SIGTERM}
	if err := s.cmd.Start(); err != nil {
		return nil, fmt.Errorf("start mariadbd: %w", err)
	}
	go func() {
		s.cmd.Wait()
		close(s.exited)
	}()
	if err := s.prepare(ctx); err != nil {
		s.Stop()
		return nil, err
	}
	return s, nil
}

// DSN addresses a database of the server.
func (s *Server) DSN(database string) string {
	c := mysql.NewConfig()
	c.User, c.Passwd, c.Net, c.Addr, c.DBName = "veneer", s.password, "tcp", net.JoinHostPort("127.0.0.1", strconv.Itoa(s.port)), database
	return c.FormatDSN()
}

// CreateDatabase makes an empty database; its name must begin with veneer.
func (s *Server) CreateDatabase(ctx context.Context, name string) error {
	db, err := sql.Open("mysql", s.DSN(""))
	if err != nil {
		return err
	}
	defer db.Close()
	_, err = db.ExecContext(ctx, "CREATE DATABASE IF NOT EXISTS `"+strings.ReplaceAll(name, "`", "")+"`")
	return err
}

// Stop asks the server to shut down and waits for it.
func (s *Server) Stop() {
	s.cmd.Process.Signal(syscall.SIGTERM)
	select {
	case <-s.exited:
	case <-time.After(30 * time.Second):
		s.cmd.Process.Kill()
		<-s.exited
	}
	if dir := filepath.Dir(s.socket); strings.HasPrefix(filepath.Base(dir), "vn") && filepath.Dir(s.log) != dir {
		os.RemoveAll(dir)
	}
}

// prepare waits until the server answers and makes our account.
func (s *Server) prepare(ctx context.Context) error {
	c := mysql.NewConfig()
	c.User, c.Net, c.Addr = s.self, "unix", s.socket
	connector, err := mysql.NewConnector(c)
	if err != nil {
		return err
	}
	db := sql.OpenDB(connector)
	defer db.Close()
	ctx, cancel := context.WithTimeout(ctx, 60*time.Second)
	defer cancel()
	for db.PingContext(ctx) != nil {
		select {
		case <-s.exited:
			return fmt.Errorf("mariadbd stopped while starting; the end of its log:\n%s", tail(s.log))
		case <-ctx.Done():
			return fmt.Errorf("mariadbd does not answer: %w; the end of its log:\n%s", ctx.Err(), tail(s.log))
		case <-time.After(20 * time.Millisecond):
		}
	}
	secret := make([]byte, 16)
	rand.Read(secret)
	s.password = hex.EncodeToString(secret)
	for _, q := range []string{
		"CREATE DATABASE IF NOT EXISTS veneer",
		"CREATE OR REPLACE USER veneer@'127.0.0.1' IDENTIFIED BY '" + s.password + "'",
		"GRANT ALL ON `veneer%`.* TO veneer@'127.0.0.1'",
	} {
		if _, err := db.ExecContext(ctx, q); err != nil {
			return fmt.Errorf("prepare MariaDB: %w", err)
		}
	}
	return nil
}

func layOut(ctx context.Context, data, me string) error {
	tool, err := find("mariadb-install-db")
	if err != nil {
		return err
	}
	cmd := exec.CommandContext(ctx, tool, "--no-defaults", "--datadir="+data, "--auth-root-authentication-method=socket",
		"--auth-root-socket-user="+me, "--skip-test-db", "--skip-name-resolve", "--innodb-log-file-size=16M", "--user="+me)
	cmd.Env = append(os.Environ(), "TMPDIR="+filepath.Dir(data)) // a server that starts elsewhere sweeps the common folder
	out, err := cmd.CombinedOutput()
	if err != nil {
		os.RemoveAll(data) // half a layout would be taken for a whole one
		return fmt.Errorf("mariadb-install-db: %w\n%s", err, out)
	}
	return nil
}

// awaitEarlier waits for the server of a process that died to finish stopping.
func awaitEarlier(ctx context.Context, pidFile string) error {
	for range 300 {
		text, err := os.ReadFile(pidFile)
		if errors.Is(err, os.ErrNotExist) {
			return nil
		}
		pid, _ := strconv.Atoi(strings.TrimSpace(string(text)))
		command, _ := os.ReadFile(fmt.Sprintf("/proc/%d/cmdline", pid))
		if pid == 0 || !strings.Contains(string(command), pidFile) {
			return nil // it died without tidying up
		}
		select {
		case <-ctx.Done():
			return ctx.Err()
		case <-time.After(100 * time.Millisecond):
		}
	}
	return fmt.Errorf("another MariaDB is running on this folder (%s); stop it first", filepath.Dir(pidFile))
}

// find looks for a program in PATH and in the sbin folders, where Debian puts servers.
func find(name string) (string, error) {
	if path, err := exec.LookPath(name); err == nil {
		return path, nil
	}
	for _, dir := range []string{"/usr/sbin", "/usr/local/sbin", "/usr/bin"} {
		if path := filepath.Join(dir, name); exec.Command(path, "--version").Run() == nil {
			return path, nil
		}
	}
	return "", fmt.Errorf("%s is not installed; install Debian's packages mariadb-server-core and mariadb-client-core, or name a database with --database", name)
}

func freePort() (int, error) {
	l, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		return 0, err
	}
	defer l.Close()
	return l.Addr().(*net.TCPAddr).Port, nil
}

func tail(path string) string {
	text, _ := os.ReadFile(path)
	return string(text[max(0, len(text)-2000):])
}
