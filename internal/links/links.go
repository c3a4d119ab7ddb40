// Package links fetches web pages within bounds: of time, bytes, redirects, and
// of the addresses that it goes to. It sends nothing but the address and its own
// name, keeps no cookies, and reads no proxy or other setting of the environment.
package links

import (
	"compress/flate"
	"compress/gzip"
	"context"
	"crypto/tls"
	"crypto/x509"
	"errors"
	"fmt"
	"io"
	"mime"
	"net"
	"net/http"
	"net/netip"
	"net/url"
	"strings"
	"syscall"
	"time"

	"regola.example/regola/internal/core/work"
)

// Bounds of a fetch.
const (
	maxBytes     = 2 << 20 // of a body, unpacked
	maxRedirects = 5
	atOnce       = 8
)

// agent is the name under which pages are fetched.
const agent = "regola-links/1"

// Fetcher fetches pages.
type Fetcher struct {
	Private bool           // private and loopback addresses too
	Timeout time.Duration  // for one page with its redirects
	Roots   *x509.CertPool // nil for those of the system
}

// Answer is what an address led to.
type Answer struct {
	Final  string
	Status int
	Kind   string // media type
	Body   []byte
	Fault  string // why there is no page, in words; empty when there is one
}

// errPrivate is the fault of an address that is not on the open net.
var errPrivate = errors.New("it is a private or local address, which is not fetched (--links-private does)")

// All fetches addresses, several at once, and gives the answers in their order.
func (f *Fetcher) All(ctx context.Context, addresses []string) ([]*Answer, error) {
	out := make([]*Answer, len(addresses))
	client := f.client()
	defer client.CloseIdleConnections()
	err := work.EachOf(ctx, len(addresses), atOnce, func(i int) { out[i] = f.one(ctx, client, addresses[i]) })
	return out, err
}

func (f *Fetcher) client() *http.Client {
	dialer := &net.Dialer{Timeout: 5 * time.Second, Control: func(_, address string, _ syscall.RawConn) error {
		// The address after the name was looked up: a name may lead anywhere.
		at, err := netip.ParseAddrPort(address)
		if err != nil || f.Private {
			return err
		}
		if !open(at.Addr()) {
			return errPrivate
		}
		return nil
	}}
	return &http.Client{
		Transport: &http.Transport{DialContext: dialer.DialContext, TLSClientConfig: &tls.Config{RootCAs: f.Roots, MinVersion: tls.VersionTLS12},
			TLSHandshakeTimeout: 5 * time.Second, ResponseHeaderTimeout: 10 * time.Second, MaxResponseHeaderBytes: 64 << 10, DisableKeepAlives: true},
		CheckRedirect: func(req *http.Request, via []*http.Request) error {
			if len(via) > maxRedirects {
				return &said{fmt.Sprintf("it leads on more than %d times", maxRedirects)}
			}
			if s := req.URL.Scheme; s != "http" && s != "https" {
				return &said{"it leads to an address of the kind " + s}
			}
			req.Header.Del("Referer")
			return nil
		},
	}
}

func (f *Fetcher) one(ctx context.Context, client *http.Client, address string) *Answer {
	a := &Answer{Final: address}
	u, err := url.Parse(address)
	if err != nil || u.Host == "" || u.Scheme != "http" && u.Scheme != "https" || u.User != nil {
		a.Fault = "it is not a plain web address"
		return a
	}
	timeout := f.Timeout
	if timeout == 0 {
		timeout = 15 * time.Second
	}
	ctx, cancel := context.WithTimeout(ctx, timeout)
	defer cancel()
	req, err := http.NewRequestWithContext(ctx, http.MethodGet, address, nil)
	if err != nil {
		a.Fault = "it is not a plain web address"
		return a
	}
	req.Header.Set("User-Agent", agent)
	res, err := client.Do(req)
	if err != nil {
		a.Fault = fault(err, timeout)
		return a
	}
	defer res.Body.Close()
	a.Final, a.Status = res.Request.URL.String(), res.StatusCode
	a.Kind, _, _ = mime.ParseMediaType(res.Header.Get("Content-Type"))
	body, err := io.ReadAll(io.LimitReader(res.Body, maxBytes+1))
	switch {
	case err != nil:
		a.Fault = fault(err, timeout)
	case len(body) > maxBytes:
		body = body[:maxBytes] // enough to look at
	}
	if a.Body = body; a.Fault == "" && a.Status >= 400 {
		a.Fault = fmt.Sprintf("the server answers %d %s", a.Status, strings.ToLower(http.StatusText(a.Status)))
	}
	return a
}

// fault says why there is no page, without Go's names for it.
func fault(err error, timeout time.Duration) string {
	var unknown x509.UnknownAuthorityError
	var host x509.HostnameError
	var invalid x509.CertificateInvalidError
	var dns *net.DNSError
	var op *net.OpError
	var own *said
	var record tls.RecordHeaderError
	var alert tls.AlertError
	var verification *tls.CertificateVerificationError
	var packed flate.CorruptInputError
	switch {
	case errors.Is(err, errPrivate):
		return errPrivate.Error()
	case errors.Is(err, context.DeadlineExceeded):
		return fmt.Sprintf("there is no whole answer within %v", timeout)
	case errors.As(err, &unknown):
		return "the certificate is of an authority that is not known"
	case errors.As(err, &host):
		return "the certificate is not for " + host.Host
	case errors.As(err, &invalid):
		return "the certificate does not hold: it has ended, or is for something else"
	case errors.As(err, &dns):
		return "there is no host of the name " + dns.Name
	case errors.As(err, &op) && op.Op == "dial":
		return "the host does not answer"
	case errors.As(err, &own):
		return own.what
	case errors.Is(err, http.ErrSchemeMismatch), errors.As(err, &record), errors.As(err, &alert), errors.As(err, &verification):
		return "no secure connection (TLS 1.2 or newer) can be made with the server"
	case errors.Is(err, gzip.ErrHeader), errors.Is(err, gzip.ErrChecksum), errors.As(err, &packed):
		return "the answer says that it is packed with gzip, and cannot be unpacked"
	}
	return "the connection breaks off, or the answer is no HTTP"
}

// said is an error whose text is for people.
type said struct{ what string }

// Error implements error.
func (s *said) Error() string { return s.what }
