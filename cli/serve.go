package cli

import (
	"context"
	"crypto/rand"
	"encoding/hex"
	"errors"
	"fmt"
	"log/slog"
	"net"
	"net/http"
	"os"
	"path/filepath"
	"runtime"
	"strings"
	"syscall"
	"time"

	"github.com/spf13/cobra"
	"github.com/spf13/viper"

	"veneer/api"
	"veneer/bureau"
	"veneer/bureau/dropfolder"
	"veneer/bureau/outgoing"
	"veneer/bureau/record"
	"veneer/bureau/store"
	"veneer/bureau/store/server"
	"veneer/bureau/vault"
	"veneer/bureau/workbench"
	"veneer/console"
	"veneer/core/format/file"
)

// config is how a service runs. Every value is a flag, an environment variable
// (VENEER_ and the flag's name, dashes as underscores) or a line of the
// configuration file, in that order of precedence.
type config struct {
	Listen        string        `mapstructure:"listen"`
	Data          string        `mapstructure:"data"`
	Database      string        `mapstructure:"database"`
	DropFolder    string        `mapstructure:"drop-folder"`
	KeepOriginals int           `mapstructure:"keep-originals"`
	Workers       int           `mapstructure:"workers"`
	JobMemory     int64         `mapstructure:"job-memory"`
	JobTime       time.Duration `mapstructure:"job-time"`
	FileMegabytes int64         `mapstructure:"file-megabytes"`
	FileTriangles int64         `mapstructure:"file-triangles"`
	FileExpanded  int64         `mapstructure:"file-expanded-megabytes"`
	FileRatio     int64         `mapstructure:"file-expansion"`
	FileEntries   int           `mapstructure:"file-entries"`
	FileDepth     int           `mapstructure:"file-depth"`
	FileBodies    int           `mapstructure:"file-bodies"`
	FileTextures  int64         `mapstructure:"file-texture-megabytes"`
	BatchFiles    int           `mapstructure:"batch-files"`
	Another       bool          `mapstructure:"another-signs"`
	Session       time.Duration `mapstructure:"session"`
	Secure        bool          `mapstructure:"secure-cookies"`
	FirstUser     string        `mapstructure:"first-user"`
	FirstPassword string        `mapstructure:"first-password"`
	LogJSON       bool          `mapstructure:"log-json"`
	LogDebug      bool          `mapstructure:"log-debug"`
	lease         time.Duration
}

func serveFlags(c *cobra.Command) {
	f := c.Flags()
	f.String("config", "", "configuration file (YAML, TOML or JSON) with these flags' names as keys")
	f.String("listen", "127.0.0.1:8780", "address to serve on")
	f.String("data", ".veneer", "folder for the files and the private database")
	f.String("database", "", "MariaDB to use, as user:password@tcp(host:port)/name (default: a private one in the data folder)")
	f.String("drop-folder", "", "folder to watch: a sub-folder of it becomes a batch once it is complete")
	f.Int("keep-originals", 0, "months that files as received are kept; 0 for ever (records always are)")
	f.Int("workers", max(1, runtime.NumCPU()/2), "jobs done at a time")
	f.Int64("job-memory", 6144, "MiB that a job may use")
	f.Duration("job-time", 30*time.Minute, "time that a job may take")
	limits := file.DefaultLimits()
	f.Int64("file-megabytes", limits.Bytes>>20, "MiB that a file may have")
	f.Int64("file-triangles", limits.Triangles, "triangles that a file may have")
	f.Int64("file-expanded-megabytes", limits.Expanded>>20, "MiB that a 3MF or a zip may unpack to")
	f.Int64("file-expansion", limits.Ratio, "how many times its packed size it may unpack to")
	f.Int("file-entries", limits.ZipEntries, "entries that a 3MF or a zip may have")
	f.Int("file-depth", limits.XMLDepth, "depth of XML elements in a 3MF")
	f.Int("file-bodies", limits.Bodies, "bodies that a file may have")
	f.Int64("file-texture-megabytes", limits.Textures>>20, "MiB of textures that a part may have")
	f.Int("batch-files", 2000, "files that a batch may have")
	f.Bool("another-signs", false, "who proposed a part for sign-off does not approve it")
	f.Duration("session", 12*time.Hour, "time after which people sign in again")
	f.Bool("secure-cookies", false, "send cookies over TLS only (set it behind a TLS proxy)")
	f.String("first-user", "operator", "name of the administrator made when there is nobody and a first-password")
	f.String("first-password", "", "its password (default: a code is printed by which somebody becomes the administrator)")
	f.Bool("log-json", false, "log JSON lines instead of text")
	f.Bool("log-debug", false, "log every request")
}

func readConfig(c *cobra.Command) (config, error) {
	v := viper.New()
	v.SetEnvPrefix("veneer")
	v.SetEnvKeyReplacer(strings.NewReplacer("-", "_"))
	v.AutomaticEnv()
	var cfg config
	if err := v.BindPFlags(c.Flags()); err != nil {
		return cfg, err
	}
	if path := v.GetString("config"); path != "" {
		v.SetConfigFile(path)
		if err := v.ReadInConfig(); err != nil {
			return cfg, fmt.Errorf("configuration: %w", err)
		}
	}
	if err := v.Unmarshal(&cfg); err != nil {
		return cfg, fmt.Errorf("configuration: %w", err)
	}
	if min(cfg.FileExpanded, cfg.FileRatio, int64(cfg.FileEntries), int64(cfg.FileDepth), int64(cfg.FileBodies), cfg.FileTextures) < 1 {
		return cfg, errors.New("configuration: every limit whose name begins with file- must be positive")
	}
	if cfg.Workers < 1 || cfg.JobMemory < 128 || cfg.JobTime <= 0 || cfg.FileMegabytes < 1 || cfg.FileTriangles < 1 || cfg.BatchFiles < 1 {
		return cfg, errors.New("configuration: workers, job-time, file-megabytes, file-triangles and batch-files must be positive, and job-memory at least 128")
	}
	cfg.lease = 12 * time.Second
	return cfg, nil
}

func serveCommand() *cobra.Command {
	c := &cobra.Command{Use: "serve", Short: "Run the service: network interface, console and workers", Args: cobra.NoArgs,
		Long: "Serve runs everything in one process, on loopback unless told otherwise. With no --database it starts a private MariaDB\n" +
			"(from Debian's packages) below the data folder. Interrupt stops it in good order: jobs at work are given back.",
		RunE: func(c *cobra.Command, args []string) error {
			cfg, err := readConfig(c)
			if err != nil {
				return err
			}
			return serve(c.Context(), cfg, func(address, code string) {
				fmt.Fprintf(c.OutOrStdout(), "Veneer is ready at %s\n", address)
				if code != "" {
					fmt.Fprintf(c.OutOrStdout(), "Nobody has an account yet. Open %s/first and become the administrator with the code %s\n", address, code)
				}
			})
		}}
	serveFlags(c)
	return c
}

// serve runs the service until ctx is cancelled. ready is told the address and, when
// nobody has an account, the code by which somebody becomes the first administrator.
func serve(ctx context.Context, cfg config, ready func(address, code string)) error {
	ctx, stop := context.WithCancel(ctx)
	defer stop()
	log := logger(cfg)
	if err := os.MkdirAll(cfg.Data, 0o700); err != nil {
		return err
	}
	unlock, err := lockFolder(cfg.Data)
	if err != nil {
		return err
	}
	defer unlock()
	if cfg.DropFolder != "" {
		if err := os.MkdirAll(cfg.DropFolder, 0o755); err != nil {
			return fmt.Errorf("drop folder: %w", err)
		}
	}
	listener, err := net.Listen("tcp", cfg.Listen)
	if err != nil {
		return fmt.Errorf("%w; choose another address with --listen", err)
	}
	defer listener.Close()

	dsn := cfg.Database
	if dsn == "" {
		db, err := server.Start(ctx, server.Options{Dir: filepath.Join(cfg.Data, "mariadb")})
		if err != nil {
			return err
		}
		defer db.Stop()
		dsn = db.DSN("veneer")
	}
	records, err := store.Open(ctx, dsn)
	if err != nil {
		return err
	}
	defer records.Close()
	files, err := vault.Open(filepath.Join(cfg.Data, "vault"))
	if err != nil {
		return err
	}
	limits := file.Limits{Bytes: cfg.FileMegabytes << 20, Triangles: cfg.FileTriangles, Expanded: cfg.FileExpanded << 20, Ratio: cfg.FileRatio,
		ZipEntries: cfg.FileEntries, XMLDepth: cfg.FileDepth, Bodies: cfg.FileBodies, Textures: cfg.FileTextures << 20}
	uploads, err := bureau.OpenUploads(filepath.Join(cfg.Data, "uploads"))
	if err != nil {
		return err
	}
	b := &bureau.Bureau{Store: records, Vault: files, Uploads: uploads, Limits: limits, Parts: cfg.BatchFiles, Session: cfg.Session, Another: cfg.Another}
	code, err := firstAccount(ctx, b, cfg)
	if err != nil {
		return err
	}
	self, err := os.Executable()
	if err != nil {
		return err
	}
	bench := &workbench.Workbench{Store: records, Vault: files, Name: workerName(), Workers: cfg.Workers, Child: []string{self, taskName},
		Scratch: filepath.Join(cfg.Data, "scratch"), Limits: limits, Memory: cfg.JobMemory << 20, Time: cfg.JobTime, Lease: cfg.lease, Log: log}

	// Five goroutines, all ended before serve returns: the workers, the drop folder's
	// watch, the rule of keeping and what is told outside when ctx is cancelled, the HTTP server when it is shut down below.
	watched := make(chan struct{})
	go func() {
		defer close(watched)
		if cfg.DropFolder != "" {
			(&dropfolder.Folder{Dir: cfg.DropFolder, Bureau: b, Quiet: 5 * time.Second, Log: log}).Run(ctx)
		}
	}()
	kept := make(chan struct{})
	go func() { // ends with ctx
		defer close(kept)
		keepOriginals(ctx, b, cfg.KeepOriginals, log)
	}()
	posted := make(chan struct{})
	go func() { // ends with ctx
		defer close(posted)
		(&outgoing.Post{Store: records, Log: log, First: 10 * time.Second}).Run(ctx)
	}()
	worked := make(chan struct{})
	go func() {
		defer close(worked)
		bench.Run(ctx)
	}()
	calls, hangUp := context.WithCancel(context.WithoutCancel(ctx)) // outlives ctx: open requests may finish
	defer hangUp()
	web := &http.Server{
		Handler:           api.Handler(api.Config{Bureau: b, Console: console.Handler(), Log: log, Secure: cfg.Secure}),
		ReadHeaderTimeout: 15 * time.Second, IdleTimeout: 2 * time.Minute,
		ErrorLog: slog.NewLogLogger(log.Handler(), slog.LevelWarn), BaseContext: func(net.Listener) context.Context { return calls },
	}
	served := make(chan error, 1)
	go func() { served <- web.Serve(listener) }()
	address := "http://" + listener.Addr().String()
	log.Info("ready", "address", address, "data", cfg.Data, "workers", cfg.Workers)
	ready(address, code)

	select {
	case <-ctx.Done():
	case err = <-served:
		stop()
		<-worked
		<-watched
		<-kept
		<-posted
		return fmt.Errorf("serve: %w", err)
	}
	log.Info("stopping")
	time.AfterFunc(time.Second, hangUp) // event streams end only when told
	grace, cancel := context.WithTimeout(context.WithoutCancel(ctx), 15*time.Second)
	defer cancel()
	if err := web.Shutdown(grace); err != nil {
		web.Close()
	}
	<-worked
	<-watched
	<-kept
	<-posted
	log.Info("stopped")
	return nil
}

// keepOriginals drops files as received once a day that came so many months ago; 0 keeps
// them for ever.
func keepOriginals(ctx context.Context, b *bureau.Bureau, months int, log *slog.Logger) {
	for months > 0 {
		n, err := b.DropOriginals(ctx, time.Now().AddDate(0, -months, 0))
		if err != nil && ctx.Err() == nil {
			log.Error("drop originals", "err", err)
		} else if n > 0 {
			log.Info("originals dropped", "files", n)
		}
		select {
		case <-ctx.Done():
			return
		case <-time.After(24 * time.Hour):
		}
	}
}

func logger(cfg config) *slog.Logger {
	opt := &slog.HandlerOptions{}
	if cfg.LogDebug {
		opt.Level = slog.LevelDebug
	}
	if cfg.LogJSON {
		return slog.New(slog.NewJSONHandler(os.Stderr, opt))
	}
	return slog.New(slog.NewTextHandler(os.Stderr, opt))
}

// lockFolder keeps a second service off the same data.
func lockFolder(dir string) (unlock func(), err error) {
	f, err := os.OpenFile(filepath.Join(dir, "lock"), os.O_CREATE|os.O_RDWR, 0o600)
	if err != nil {
		return nil, err
	}
	if err := syscall.Flock(int(f.Fd()), syscall.LOCK_EX|syscall.LOCK_NB); err != nil {
		f.Close()
		return nil, fmt.Errorf("another service is running on the folder %s; stop it first, or choose another with --data", dir)
	}
	return func() { f.Close() }, nil
}

// firstAccount makes an administrator when there is nobody and a password was given;
// without one it makes up a code by which somebody becomes it.
func firstAccount(ctx context.Context, b *bureau.Bureau, cfg config) (code string, err error) {
	n, err := b.Store.People(ctx)
	if err != nil || n > 0 {
		return "", err
	}
	if cfg.FirstPassword != "" {
		return "", b.AddPerson(ctx, "veneer", cfg.FirstUser, cfg.FirstPassword, record.Administrator)
	}
	secret := make([]byte, 8)
	rand.Read(secret)
	b.FirstCode = hex.EncodeToString(secret)
	return b.FirstCode, nil
}

func workerName() string {
	host, _ := os.Hostname() // an empty name will do
	tag := make([]byte, 4)
	rand.Read(tag)
	return fmt.Sprintf("%.30s-%d-%x", host, os.Getpid(), tag)
}

const taskName = "task"

// taskCommand is what the service runs for each job; it is not for people.
func taskCommand() *cobra.Command {
	return &cobra.Command{Use: taskName, Hidden: true, Args: cobra.NoArgs, RunE: func(c *cobra.Command, args []string) error {
		return workbench.RunTask(c.Context(), os.Stdin, os.Stdout)
	}}
}
