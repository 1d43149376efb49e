// Package storetest gives tests a real MariaDB: one private server a test
// binary, one empty database a test.
package storetest

import (
	"context"
	"fmt"
	"os"
	"sync/atomic"
	"testing"

	"github.com/stretchr/testify/require"

	"veneer/bureau/store"
	"veneer/bureau/store/server"
)

var (
	running *server.Server
	count   atomic.Int32
)

// Main runs a test binary's tests with a server; call it from TestMain.
func Main(m *testing.M) {
	os.Exit(func() int {
		dir, err := os.MkdirTemp("", "vn")
		if err != nil {
			panic(err)
		}
		defer os.RemoveAll(dir)
		running, err = server.Start(context.Background(), server.Options{Dir: dir, Throwaway: true})
		if err != nil {
			panic(err)
		}
		defer running.Stop()
		return m.Run()
	}())
}

// DSN addresses a new, empty database.
func DSN(t *testing.T) string {
	t.Helper()
	name := fmt.Sprintf("veneer_%d", count.Add(1))
	require.NoError(t, running.CreateDatabase(t.Context(), name))
	return running.DSN(name)
}

// Open is a store on a new database.
func Open(t *testing.T) *store.Store {
	t.Helper()
	s, err := store.Open(t.Context(), DSN(t))
	require.NoError(t, err)
	t.Cleanup(func() { s.Close() })
	return s
}
