package lsp

import (
	"bufio"
	"fmt"
	"io"
	"strconv"
	"strings"
	"sync"
)

// Bounds of a message and of its head, in bytes.
const (
	maxMessage = 16 << 20
	maxHead    = 4 << 10
)

// stream reads and writes messages with their lengths before them, as the protocol has them.
type stream struct {
	in  *bufio.Reader
	mu  sync.Mutex
	out io.Writer
}

// Recv reads a message.
func (s *stream) Recv() ([]byte, error) {
	size := -1
	for head := 0; ; {
		line, err := s.in.ReadSlice('\n')
		if err == io.EOF && len(line) == 0 && head == 0 {
			return nil, io.EOF
		} else if err != nil {
			return nil, fmt.Errorf("the head of a message is cut off or too long: %w", err)
		}
		if head += len(line); head > maxHead {
			return nil, fmt.Errorf("the head of a message has more than %d bytes", maxHead)
		}
		text := strings.TrimRight(string(line), "\r\n")
		if text == "" {
			break
		}
		if name, value, found := strings.Cut(text, ":"); found && strings.EqualFold(strings.TrimSpace(name), "Content-Length") {
			if size, err = strconv.Atoi(strings.TrimSpace(value)); err != nil || size < 0 || size > maxMessage {
				return nil, fmt.Errorf("a message of %q bytes; at most %d are read", value, maxMessage)
			}
		}
	}
	if size < 0 {
		return nil, fmt.Errorf("the head of a message does not tell its length")
	}
	b := make([]byte, size)
	_, err := io.ReadFull(s.in, b)
	return b, err
}

// Send writes a message.
func (s *stream) Send(b []byte) error {
	s.mu.Lock()
	defer s.mu.Unlock()
	_, err := fmt.Fprintf(s.out, "Content-Length: %d\r\n\r\n%s", len(b), b)
	return err
}

// Close ends the stream; whoever opened its two sides closes them.
func (s *stream) Close() error { return nil }
