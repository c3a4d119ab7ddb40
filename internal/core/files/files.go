// Package files presents a package's files alike, whether they lie in an
// archive or in a folder. The directory is read once; contents are streamed
// when asked for, and each file is unpacked once: what was read whole, or
// looked at, is there for whoever comes next. Nothing is ever written.
package files

import (
	"bytes"
	"context"
	"crypto/sha256"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"path"
	"path/filepath"
	"sort"
	"strings"
	"sync"

	"regola.example/regola/internal/core/budget"
	"regola.example/regola/internal/core/format"
	"regola.example/regola/internal/core/format/zipscan"
	"regola.example/regola/internal/core/safeopen"
)

// maxCached bounds the contents that are kept for whoever comes next, in bytes
// over the whole package, and maxPending the number of streams.
const (
	maxCached  = 24 << 20
	maxPending = 64
	headSize   = 64 // bytes that a look takes
)

// Entry is one file of a package.
type Entry struct {
	Name       string // with forward slashes, relative to the root
	Size       int64  // bytes, inflated
	Compressed int64  // bytes in the archive; equal to Size in a folder
	Stored     bool   // not compressed
	Mode       fs.FileMode
	*contents
}

// contents is what entries of one file share, under whatever name they show it.
type contents struct {
	open    func() (io.ReadCloser, error)
	data    func() (int64, error)
	size    int64
	store   *store
	mu      sync.Mutex
	whole   []byte // when it was read whole and is kept
	kept    bool
	pending io.ReadCloser // begun by Head
	head    []byte
	opened  int    // how often it was unpacked
	sum     []byte // SHA-256, once somebody asked for it
}

// store is what all files of a package share.
type store struct {
	budget  *budget.Budget
	mu      sync.Mutex
	cached  int64
	pending int
}

// Opened is how often the file was unpacked so far.
func (e *Entry) Opened() int {
	e.mu.Lock()
	defer e.mu.Unlock()
	return e.opened
}

// Open streams the contents.
func (e *Entry) Open() (io.ReadCloser, error) {
	e.mu.Lock()
	defer e.mu.Unlock()
	if e.kept {
		return held{bytes.NewReader(e.whole)}, nil
	}
	if p := e.pending; p != nil {
		e.pending = nil
		e.store.done()
		return struct {
			io.Reader
			io.Closer
		}{io.MultiReader(bytes.NewReader(e.head), p), p}, nil
	}
	e.opened++
	src, err := e.open()
	if err != nil {
		return nil, err
	}
	if ra, ok := src.(ReaderAt); ok {
		return ra, nil
	}
	return &metered{src, e.store.budget}, nil
}

// ReaderAt is a stream that can also be read at random.
type ReaderAt interface {
	io.ReadCloser
	io.ReaderAt
}

type held struct{ *bytes.Reader }

// Close implements io.Closer.
func (held) Close() error { return nil }

// metered takes what is unpacked from the budget of the run.
type metered struct {
	io.ReadCloser
	budget *budget.Budget
}

// Read implements io.Reader.
func (m *metered) Read(b []byte) (int, error) {
	n, err := m.ReadCloser.Read(b)
	if spent := m.budget.Unpack(n); spent != nil {
		return n, spent
	}
	return n, err
}

// SHA256 is the digest of the contents. It is taken once.
func (e *Entry) SHA256(buf []byte) ([]byte, error) {
	e.mu.Lock()
	sum := e.sum
	e.mu.Unlock()
	if sum != nil {
		return sum, nil
	}
	src, finish, err := e.OpenSHA256()
	if err != nil {
		return nil, err
	}
	defer src.Close()
	return finish(buf)
}

// OpenSHA256 streams the contents and digests them on the way. finish reads
// what was left of the stream, and gives the digest, which is kept.
func (e *Entry) OpenSHA256() (src io.ReadCloser, finish func(buf []byte) ([]byte, error), err error) {
	src, err = e.Open()
	if err != nil {
		return nil, nil, err
	}
	h := sha256.New()
	tee := io.TeeReader(src, h)
	finish = func(buf []byte) ([]byte, error) {
		if _, err := io.CopyBuffer(io.Discard, struct{ io.Reader }{tee}, buf); err != nil {
			return nil, err
		}
		e.mu.Lock()
		defer e.mu.Unlock()
		e.sum = h.Sum(nil)
		return e.sum, nil
	}
	return struct {
		io.Reader
		io.Closer
	}{tee, src}, finish, nil
}

// Head is the first bytes of the contents, up to 64. The stream goes on where
// it ended for whoever opens the file next.
func (e *Entry) Head() ([]byte, error) {
	e.mu.Lock()
	if e.head != nil {
		defer e.mu.Unlock()
		return e.head, nil
	}
	e.mu.Unlock()
	src, err := e.Open()
	if err != nil {
		return nil, err
	}
	head := make([]byte, headSize)
	n, err := io.ReadFull(src, head)
	if errors.Is(err, io.ErrUnexpectedEOF) || errors.Is(err, io.EOF) {
		err = nil
	}
	head = head[:n:n]
	e.mu.Lock()
	defer e.mu.Unlock()
	e.head = head
	if err == nil && !e.kept && e.pending == nil && e.store.begin() {
		e.pending = src
		return head, nil
	}
	src.Close()
	return head, err
}

func (s *store) begin() bool {
	s.mu.Lock()
	defer s.mu.Unlock()
	if s.pending >= maxPending {
		return false
	}
	s.pending++
	return true
}

func (s *store) done() {
	s.mu.Lock()
	defer s.mu.Unlock()
	s.pending--
}

// keep tells whether n more bytes may be kept.
func (s *store) keep(n int64) bool {
	s.mu.Lock()
	defer s.mu.Unlock()
	if s.cached+n > maxCached {
		return false
	}
	s.cached += n
	return true
}

// Read reads the file whole, up to limit bytes (0 for the most that is read of
// any file). Memory follows what arrives, not what the directory claims. What
// is small enough is kept, so that nobody unpacks it again; the caller must
// not change it.
func (e *Entry) Read(limit int64) ([]byte, error) { return e.read(limit, true) }

// ReadOnce is Read for a file that nobody else needs: it is not kept.
func (e *Entry) ReadOnce(limit int64) ([]byte, error) { return e.read(limit, false) }

func (e *Entry) read(limit int64, keep bool) ([]byte, error) {
	if limit == 0 || limit > budget.MaxWhole {
		limit = budget.MaxWhole
	}
	if e.Size > limit {
		return nil, format.TooMuchf(limit, "it has %d bytes; at most %d are read of such a file", e.Size, limit)
	}
	e.mu.Lock()
	if e.kept {
		defer e.mu.Unlock()
		return e.whole, nil
	}
	e.mu.Unlock()
	r, err := e.Open()
	if err != nil {
		return nil, err
	}
	defer r.Close()
	b, err := format.ReadAll(r, e.Size, limit)
	if err != nil {
		return nil, fmt.Errorf("cannot be unpacked: %w", err)
	}
	e.mu.Lock()
	defer e.mu.Unlock()
	if keep && !e.kept && e.store.keep(int64(len(b))) {
		e.whole, e.kept = b, true
	}
	return b, nil
}

// DataOffset is where the contents begin in the archive, in bytes. It is
// computed from the local header, which may be padded for alignment.
func (e *Entry) DataOffset() (int64, error) {
	if e.data == nil {
		return 0, errors.New("a file in a folder has no archive offset")
	}
	return e.data()
}

// Tree is the files of a package.
type Tree struct {
	Entries []*Entry         // in the archive's order; sorted by name in a folder
	Archive *zipscan.Archive // nil for a folder
	Budget  *budget.Budget   // of the run
	byName  map[string]*Entry
	folders func() map[string][]string
}

func newTree(b *budget.Budget, z *zipscan.Archive, n int) *Tree {
	t := &Tree{Budget: b, Archive: z, byName: make(map[string]*Entry, n)}
	t.folders = sync.OnceValue(t.listFolders)
	return t
}

// Get finds a file by its exact name, or nil.
func (t *Tree) Get(name string) *Entry { return t.byName[name] }

// Read reads a file whole, up to limit bytes.
func (t *Tree) Read(name string, limit int64) ([]byte, error) {
	e := t.Get(name)
	if e == nil {
		return nil, fs.ErrNotExist
	}
	return e.Read(limit)
}

// Below lists the files under a folder, which is given without a slash at its end.
func (t *Tree) Below(folder string) []*Entry {
	var out []*Entry
	for _, e := range t.Entries {
		if len(e.Name) > len(folder) && e.Name[len(folder)] == '/' && e.Name[:len(folder)] == folder {
			out = append(out, e)
		}
	}
	return out
}

func (t *Tree) add(e *Entry) {
	t.Entries = append(t.Entries, e)
	if _, twice := t.byName[e.Name]; !twice {
		t.byName[e.Name] = e
	}
}

// FromZip reads an archive's directory. Reading ends when the context does.
func FromZip(ctx context.Context, r io.ReaderAt, size int64) (*Tree, error) {
	z, err := zipscan.Scan(r, size)
	if err != nil {
		return nil, err
	}
	t := newTree(budget.New(ctx, size), z, len(z.Entries))
	s := &store{budget: t.Budget}
	for _, f := range z.Entries {
		if strings.HasSuffix(f.Name, "/") {
			continue
		}
		t.add(&Entry{
			Name: f.Name, Size: f.Size, Compressed: f.Compressed, Stored: f.Method == zipscan.Stored, Mode: f.Mode,
			contents: &contents{open: f.Open, data: f.DataOffset, size: f.Size, store: s},
		})
	}
	return t, nil
}

// FromFolder lists a folder. Links inside are listed but never followed; the
// folder itself may be given through one.
func FromFolder(ctx context.Context, root string) (*Tree, error) {
	root, err := filepath.EvalSymlinks(root)
	if err != nil {
		return nil, err
	}
	t := newTree(nil, nil, 0)
	s := &store{}
	var total int64
	err = filepath.WalkDir(root, func(p string, d fs.DirEntry, err error) error {
		if err := errors.Join(err, ctx.Err()); err != nil {
			return err
		}
		if d.IsDir() {
			return nil
		}
		info, err := d.Info()
		if err != nil {
			return err
		}
		rel, err := filepath.Rel(root, p)
		if err != nil {
			return err
		}
		if len(t.Entries) >= zipscan.MaxEntries {
			return fmt.Errorf("the folder holds more than %d files", zipscan.MaxEntries)
		}
		total += info.Size()
		t.add(&Entry{
			Name: filepath.ToSlash(rel), Size: info.Size(), Compressed: info.Size(), Stored: true, Mode: info.Mode(),
			contents: &contents{size: info.Size(), store: s, open: func() (io.ReadCloser, error) {
				if !info.Mode().IsRegular() {
					return nil, safeopen.ErrKind
				}
				f, _, err := safeopen.Open(p)
				return f, err
			}},
		})
		return nil
	})
	if err != nil {
		return nil, err
	}
	t.Budget = budget.New(ctx, total)
	s.budget = t.Budget
	sort.Slice(t.Entries, func(i, j int) bool { return t.Entries[i].Name < t.Entries[j].Name })
	return t, nil
}

// Sub is the part of the tree below a folder, with names relative to it. An
// empty folder gives the tree itself.
func (t *Tree) Sub(folder string) *Tree {
	if folder == "" || folder == "." {
		return t
	}
	s := newTree(t.Budget, t.Archive, 0)
	for _, e := range t.Below(folder) {
		sub := *e
		sub.Name = e.Name[len(folder)+1:]
		s.add(&sub)
	}
	return s
}

// listFolders makes the list of the folders directly below each folder.
func (t *Tree) listFolders() map[string][]string {
	out := map[string][]string{}
	seen := map[string]bool{}
	for _, e := range t.Entries {
		// Deep paths are few; what is too deep for a person is cut.
		const deepest = 64
		dir := path.Dir(e.Name)
		for range deepest {
			if dir == "." || dir == "/" || seen[dir] {
				break
			}
			seen[dir] = true
			up := path.Dir(dir)
			key := up
			if up == "." {
				key = ""
			}
			out[key] = append(out[key], dir)
			dir = up
		}
	}
	for _, list := range out {
		sort.Strings(list)
	}
	return out
}

// Folders lists the folders directly below a folder ("" for the root).
func (t *Tree) Folders(below string) []string { return t.folders()[below] }
