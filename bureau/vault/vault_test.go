package vault

import (
	"crypto/sha256"
	"encoding/hex"
	"errors"
	"io"
	"os"
	"strings"
	"testing"
	"testing/iotest"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func left(t *testing.T, v *Vault) int {
	files, err := os.ReadDir(v.incoming())
	require.NoError(t, err)
	return len(files)
}

func TestPutAndOpen(t *testing.T) {
	v, err := Open(t.TempDir())
	require.NoError(t, err)
	for range 2 { // the same bytes twice are one file
		sum, n, err := v.Put(strings.NewReader("a bell"), 0)
		require.NoError(t, err)
		want := sha256.Sum256([]byte("a bell"))
		assert.Equal(t, hex.EncodeToString(want[:]), sum)
		assert.EqualValues(t, 6, n)
		f, err := v.Open(sum)
		require.NoError(t, err)
		b, err := io.ReadAll(f)
		require.NoError(t, err)
		f.Close()
		assert.Equal(t, "a bell", string(b))
		info, err := os.Stat(v.Path(sum))
		require.NoError(t, err)
		assert.EqualValues(t, 0o400, info.Mode().Perm(), "nobody writes to it")
	}
	assert.Zero(t, left(t, v))
}

func TestFailedPutsLeaveNothing(t *testing.T) {
	v, err := Open(t.TempDir())
	require.NoError(t, err)
	_, _, err = v.Put(strings.NewReader("too long"), 3)
	assert.ErrorIs(t, err, ErrTooLarge)
	broken := errors.New("cable pulled")
	_, _, err = v.Put(io.MultiReader(strings.NewReader("half"), iotest.ErrReader(broken)), 0)
	assert.ErrorIs(t, err, broken)
	assert.Zero(t, left(t, v))
}

func TestInterruptedWritesAreCleared(t *testing.T) {
	dir := t.TempDir()
	v, err := Open(dir)
	require.NoError(t, err)
	require.NoError(t, os.WriteFile(v.incoming()+"/put-1", []byte("half"), 0o600))
	v, err = Open(dir)
	require.NoError(t, err)
	assert.Zero(t, left(t, v))
}

func TestUnknownHashes(t *testing.T) {
	v, err := Open(t.TempDir())
	require.NoError(t, err)
	for _, sum := range []string{"", "../../etc/passwd", strings.Repeat("0", 64)} {
		_, err := v.Open(sum)
		assert.ErrorIs(t, err, os.ErrNotExist)
	}
}
