package bureau_test

import (
	"archive/zip"
	"bytes"
	"io"
	"strings"
	"testing"
	"time"

	"github.com/alexedwards/argon2id"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"veneer/bureau"
	"veneer/bureau/record"
	"veneer/bureau/store"
	"veneer/bureau/store/storetest"
	"veneer/bureau/vault"
	"veneer/core/format/file"
)

func TestMain(m *testing.M) { storetest.Main(m) }

func open(t *testing.T) *bureau.Bureau {
	v, err := vault.Open(t.TempDir())
	require.NoError(t, err)
	limits := file.DefaultLimits()
	limits.Bytes = 1 << 20
	return &bureau.Bureau{Store: storetest.Open(t), Vault: v, Limits: limits, Parts: 3, Session: time.Hour,
		Passwords: &argon2id.Params{Memory: 8 * 1024, Iterations: 1, Parallelism: 1, SaltLength: 16, KeyLength: 32}}
}

func TestShownName(t *testing.T) {
	for given, want := range map[string]string{
		"bell.stl": "bell.stl", "a/b/bell.stl": "bell.stl", `C:\parts\bell.stl`: "bell.stl", "../../etc/passwd": "passwd",
		"..": "unnamed", "": "unnamed", "...": "unnamed", "a\x00b\nc.stl": "abc.stl", "höhe ⚓.stl": "höhe ⚓.stl", "evil\u202elts.exe": "evillts.exe",
		"bad\xff.stl": "bad?.stl", strings.Repeat("x", 400) + ".stl": strings.Repeat("x", 176) + ".stl",
	} {
		assert.Equal(t, want, bureau.ShownName(given), "%q", given)
	}
}

func TestIntake(t *testing.T) {
	b, ctx := open(t), t.Context()
	in := b.Receive("ada")
	for _, bad := range [][2]string{{"process", "clay"}, {"repair", "maybe"}, {"colour", "red"}, {"name", strings.Repeat("x", 201)}} {
		assert.ErrorIs(t, in.Set(ctx, bad[0], bad[1]), bureau.ErrInvalid)
	}
	require.NoError(t, in.Set(ctx, "process", "resin"))
	_, err := in.Close(ctx)
	assert.ErrorContains(t, err, "at least one STL, OBJ or 3MF file")
	require.NoError(t, in.Add("../bell.stl", strings.NewReader("bytes")))
	_, err = in.Close(ctx)
	assert.ErrorContains(t, err, "customer")
	require.NoError(t, in.Set(ctx, "customer", "  Harbour Museum "))
	assert.ErrorContains(t, in.Add("big.stl", strings.NewReader(strings.Repeat("x", 1<<20+1))), "big.stl is larger than the 1 MB")
	require.NoError(t, in.Add("b.stl", strings.NewReader("b")))
	require.NoError(t, in.Add("c.stl", strings.NewReader("c")))
	assert.ErrorContains(t, in.Add("d.stl", strings.NewReader("d")), "at most 3 files")
	batch, err := in.Close(ctx)
	require.NoError(t, err)
	assert.Equal(t, "bell.stl and 2 more", batch.Name)
	assert.Equal(t, "Harbour Museum", batch.Customer)
	assert.Equal(t, "ada", batch.CreatedBy)
	assert.Equal(t, 3, batch.Counts.Waiting)
}

func TestArchivesAreUnpacked(t *testing.T) {
	b := open(t)
	packed := func(names ...string) io.Reader {
		var out bytes.Buffer
		z := zip.NewWriter(&out)
		for _, n := range names {
			w, err := z.Create(n)
			require.NoError(t, err)
			io.WriteString(w, "bytes of "+n)
		}
		require.NoError(t, z.Close())
		return &out
	}
	in := b.Receive("ada")
	require.NoError(t, in.Set(t.Context(), "customer", "Harbour Museum"))
	require.NoError(t, in.Add("parts.zip", packed("deep/../../bell.stl", "readme.txt", "hull.obj", "hull.mtl")))
	assert.ErrorContains(t, b.Receive("ada").Add("none.zip", packed("readme.txt")), "none.zip: the archive holds no mesh file")
	assert.ErrorContains(t, in.Add("many.zip", packed("a.stl", "b.stl")), "at most 3 files")
	in = b.Receive("ada")
	require.NoError(t, in.Set(t.Context(), "customer", "Harbour Museum"))
	require.NoError(t, in.Add("parts.zip", packed("deep/../../bell.stl", "readme.txt", "hull.obj", "hull.mtl")))
	batch, err := in.Close(t.Context())
	require.NoError(t, err)
	parts, err := b.Store.Parts(t.Context(), batch.ID)
	require.NoError(t, err)
	require.Len(t, parts, 2)
	assert.Equal(t, "bell.stl", parts[0].Name)
	assert.Equal(t, "hull.obj", parts[1].Name)
	assert.Equal(t, "parts.zip/hull.obj", parts[1].Path)
	beside, err := b.Store.Companions(t.Context(), batch.ID)
	require.NoError(t, err)
	require.Len(t, beside, 1)
	assert.Equal(t, "parts.zip/hull.mtl", beside[0].Path)
}

// TestStatedSizes gives one size to all parts of a batch and another to one.
func TestStatedSizes(t *testing.T) {
	b := open(t)
	in := b.Receive("ada")
	require.NoError(t, in.Set(t.Context(), "customer", "Harbour Museum"))
	assert.ErrorContains(t, in.Set(t.Context(), "expect", "large"), "no unit")
	require.NoError(t, in.Set(t.Context(), "expect", "120x80x40mm"))
	require.NoError(t, in.Set(t.Context(), "expect", "lamp.stl = 4in"))
	require.NoError(t, in.Add("bell.stl", strings.NewReader("bytes")))
	require.NoError(t, in.Add("lamp.stl", strings.NewReader("bytes")))
	batch, err := in.Close(t.Context())
	require.NoError(t, err)
	parts, err := b.Store.Parts(t.Context(), batch.ID)
	require.NoError(t, err)
	assert.Equal(t, "120x80x40mm", parts[0].Expect)
	assert.Equal(t, "4in", parts[1].Expect)
	assert.ErrorIs(t, b.Expect(t.Context(), "ada", parts[0].ID, "large"), bureau.ErrInvalid)
	assert.ErrorIs(t, b.Answer(t.Context(), "ada", parts[0].ID, "cut-short", "use", false), bureau.ErrInvalid, "it is not checked yet")
}

func TestSignIn(t *testing.T) {
	b, ctx := open(t), t.Context()
	assert.ErrorIs(t, b.AddPerson(ctx, "veneer", "ada", "short", record.Operator), bureau.ErrInvalid)
	assert.ErrorIs(t, b.AddPerson(ctx, "veneer", "", "long enough", record.Operator), bureau.ErrInvalid)
	assert.ErrorIs(t, b.AddPerson(ctx, "veneer", "ada", "long enough", "king"), bureau.ErrInvalid)
	require.NoError(t, b.AddPerson(ctx, "veneer", "ada", "long enough", record.Operator))
	for _, wrong := range [][2]string{{"ada", "wrong"}, {"bob", "long enough"}, {"ada", ""}} {
		_, _, err := b.SignIn(ctx, wrong[0], wrong[1])
		assert.ErrorIs(t, err, bureau.ErrSignIn)
	}
	token, p, err := b.SignIn(ctx, "ada", "long enough")
	require.NoError(t, err)
	assert.Equal(t, "ada", p.Name)
	who, _, err := b.Who(ctx, token)
	require.NoError(t, err)
	assert.Equal(t, p.ID, who.ID)
	_, _, err = b.Who(ctx, "")
	assert.ErrorIs(t, err, store.ErrNotFound)
	require.NoError(t, b.SignOut(ctx, token))
	_, _, err = b.Who(ctx, token)
	assert.ErrorIs(t, err, store.ErrNotFound)
}

// TestUploadsDoNotWaitForOneAnother adds to one upload while a piece of another one is
// slow to come; a second piece of that one is refused meanwhile.
func TestUploadsDoNotWaitForOneAnother(t *testing.T) {
	u, err := bureau.OpenUploads(t.TempDir())
	require.NoError(t, err)
	slow, err := u.Begin("ada", "hull.stl", 10, 100)
	require.NoError(t, err)
	quick, err := u.Begin("ben", "../../buoy.stl", 5, 100)
	require.NoError(t, err)
	assert.Equal(t, "buoy.stl", quick.Name)
	_, err = u.Begin("ben", "large.stl", 101, 100)
	assert.ErrorIs(t, err, bureau.ErrInvalid)
	r, w := io.Pipe()
	done := make(chan error, 1)
	go func() {
		_, err := u.Add("ada", slow.ID, 0, r)
		done <- err
	}()
	_, err = w.Write([]byte("hello"))
	require.NoError(t, err)
	_, err = u.Add("ada", slow.ID, 0, strings.NewReader("again"))
	assert.ErrorIs(t, err, bureau.ErrOffset)
	quick, err = u.Add("ben", quick.ID, 0, strings.NewReader("whole"))
	require.NoError(t, err)
	assert.EqualValues(t, 5, quick.Offset)
	_, err = u.Add("ada", quick.ID, 5, strings.NewReader(""))
	assert.ErrorIs(t, err, store.ErrNotFound, "another's")
	require.NoError(t, w.Close())
	require.NoError(t, <-done)
	now, err := u.Find("ada", slow.ID)
	require.NoError(t, err)
	assert.EqualValues(t, 5, now.Offset)
}
