package lsp

import (
	"bufio"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"

	"regola.example/regola/internal/seed"
)

// TestPositions turns places into each other: characters outside the first plane are two
// units of UTF-16, and four bytes.
func TestPositions(t *testing.T) {
	doc := []byte("aé🔥b\r\n\nxy")
	for _, c := range []struct {
		p            position
		offset       int
		line, column int
	}{
		{position{0, 0}, 0, 1, 1}, {position{0, 1}, 1, 1, 2}, {position{0, 2}, 3, 1, 3}, {position{0, 4}, 7, 1, 4}, {position{0, 5}, 8, 1, 5},
		{position{1, 0}, 10, 2, 1}, {position{2, 1}, 12, 3, 2}, {position{2, 2}, 13, 3, 3},
	} {
		assert.Equal(t, c.offset, offset(doc, c.p), "%v", c.p)
		line, column := fromUTF16(doc, c.p)
		assert.Equal(t, []int{c.line, c.column}, []int{line, column}, "%v", c.p)
		assert.Equal(t, c.p, toUTF16(doc, c.line, c.column), "%v", c.p)
	}
	assert.Equal(t, 8, offset(doc, position{0, 99}), "the end of the line is the last place of it")
	assert.Equal(t, len(doc), offset(doc, position{99, 0}))
	assert.Equal(t, position{0, 5}, toUTF16(doc, 1, 99))
}

func TestApply(t *testing.T) {
	at := func(l1, c1, l2, c2 int) *span { return &span{position{l1, c1}, position{l2, c2}} }
	for _, c := range []struct {
		where *span
		want  string
	}{
		{nil, "X"}, {at(0, 0, 0, 0), "Xa🔥b\nc"}, {at(0, 1, 0, 3), "aXb\nc"}, {at(0, 3, 1, 1), "a🔥X"}, {at(1, 1, 1, 1), "a🔥b\ncX"}, {at(1, 0, 0, 3), "a🔥Xc"}, {at(9, 9, 9, 9), "a🔥b\ncX"},
	} {
		assert.Equal(t, c.want, string(apply([]byte("a🔥b\nc"), c.where, "X")))
	}
}

func TestAddresses(t *testing.T) {
	for uri, path := range map[string]string{"file:///a/b%20c/d.yaml": "/a/b c/d.yaml", "untitled:1": "", "https://x.example/a": "", "%": "", "file:///a/../b": "/b"} {
		assert.Equal(t, path, strings.ReplaceAll(pathOf(uri), `\`, "/"), uri)
	}
	assert.Equal(t, "file:///a/b%20c.yaml", uriOf("/a/b c.yaml"))
}

func FuzzServe(f *testing.F) {
	for _, text := range []string{
		"Content-Length: 2\r\n\r\n{}", "content-length: 2\r\nX: y\r\n\r\n{}Content-Length: 1\r\n\r\n[", "\r\n\r\n", "Content-Length: -1\r\n\r\n",
		"Content-Length: 123\r\n\r\n" + `{"jsonrpc":"2.0","method":"textDocument/didChange","params":{"textDocument":{"uri":"file:///a"},"contentChanges":[{"text":""}]}}`,
	} {
		f.Add([]byte(text))
	}
	f.Fuzz(func(t *testing.T, data []byte) {
		defer seed.Bounds(t, len(data))()
		s := &stream{in: bufio.NewReaderSize(strings.NewReader(string(data)), maxHead)}
		for range 10 {
			if _, err := s.Recv(); err != nil {
				break
			}
		}
	})
}
