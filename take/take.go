// Package take fetches exports from running systems and puts them where they are
// read: whole or not at all. What a system's kind needs to be asked is below, a
// folder for each protocol.
package take

import (
	"context"
	"crypto/tls"
	"crypto/x509"
	"errors"
	"fmt"
	"io"
	"net"
	"os"
	"slices"
	"strings"
	"sync"
	"time"

	"yewcone/intake"
)

// A Source is where an export is taken from, as estate.yaml says.
type Source = intake.Source

// A Job is one taking under way.
type Job struct {
	Source *Source
	// File begins a file of the export: its place among Source.Files where there
	// are several files, else its name within the folder.
	File func(name string, fill func(io.Writer) error) error
	// Secret is the password or token.
	Secret func() (string, error)
	// Say tells how far the job is; it may be nil.
	Say func(format string, args ...any)
	// Rows counts what was fetched.
	Rows int
	// By is who the server says that it was asked by, "" where it does not tell.
	By string
	// Whole: who asked can read everything.
	Whole bool
}

// Told passes on how far a job is.
func (j *Job) Told(format string, args ...any) {
	if j.Say != nil {
		j.Say(format, args...)
	}
}

// A Protocol is a way to ask systems.
type Protocol struct {
	Name   string
	Folder bool // the export is a folder
	Reads  []string
	// Asks lists what would be asked.
	Asks func(*Source) []string
	Take func(context.Context, *Job) error
}

// Refused is an error that another try would not mend, and might make worse: a
// sign-in that was refused counts towards a lockout.
type Refused struct{ Err error }

func (r *Refused) Error() string { return r.Err.Error() }
func (r *Refused) Unwrap() error { return r.Err }

// Wait is an error of a server that asks to come back later.
type Wait struct {
	Err error
	For time.Duration
}

func (w *Wait) Error() string { return w.Err.Error() }
func (w *Wait) Unwrap() error { return w.Err }

// tries are how often something is asked, and the first pause between.
const (
	tries      = 4
	firstPause = time.Second
	mostPause  = time.Minute
)

// Again does something until it is done, with pauses that grow. What was refused
// is not tried again.
func (j *Job) Again(ctx context.Context, what string, do func() error) error {
	pause := firstPause
	for n := 1; ; n++ {
		err := do()
		var refused *Refused
		if err == nil || errors.As(err, &refused) || ctx.Err() != nil || n == tries {
			return err
		}
		wait := pause
		var later *Wait
		if errors.As(err, &later) && later.For > 0 {
			wait = min(later.For, mostPause)
		}
		j.Told("%s: %s; another try in %s", what, err, wait)
		select {
		case <-time.After(wait):
		case <-ctx.Done():
			return err
		}
		pause *= 2
	}
}

// secret fetches a password or token. ask reads it from a terminal.
func secret(s *intake.Secret, ask func() (string, error)) (string, error) {
	switch {
	case s == nil:
		return "", nil
	case s.Env != "":
		value, ok := os.LookupEnv(s.Env)
		if !ok || value == "" {
			return "", fmt.Errorf("the variable %s, which the password should stand in, is not set", s.Env)
		}
		return value, nil
	case s.File != "":
		info, err := os.Stat(s.File)
		if err != nil {
			return "", fmt.Errorf("the password cannot be read: %w", err)
		}
		if !info.Mode().IsRegular() {
			return "", fmt.Errorf("%s is no file", s.File)
		}
		if others := info.Mode().Perm() & 0o077; others != 0 && !ownerOnlyUnknown {
			return "", fmt.Errorf("others may read %s (mode %04o), which holds a password: chmod 600 it, and change the password", s.File, info.Mode().Perm())
		}
		data, err := os.ReadFile(s.File)
		if err != nil {
			return "", fmt.Errorf("the password cannot be read: %w", err)
		}
		return strings.TrimRight(string(data), "\r\n"), nil
	}
	return ask()
}

// TLS is how a source's certificate is checked: against the host's authorities,
// or those in a file.
func TLS(s *Source, server string) (*tls.Config, error) {
	config := &tls.Config{ServerName: server, MinVersion: tls.VersionTLS12}
	if s.CA == "" {
		return config, nil
	}
	data, err := os.ReadFile(s.CA)
	if err != nil {
		return nil, &Refused{fmt.Errorf("the certificates to trust cannot be read: %w", err)}
	}
	config.RootCAs = x509.NewCertPool()
	if !config.RootCAs.AppendCertsFromPEM(data) {
		return nil, &Refused{fmt.Errorf("%s holds no certificate (PEM)", s.CA)}
	}
	return config, nil
}

// Here reports whether a host is this one: nothing leaves it then. A path is a socket.
func Here(host string) bool {
	ip := net.ParseIP(host)
	return strings.HasPrefix(host, "/") || host == "localhost" || ip != nil && ip.IsLoopback()
}

// Certificate makes an error of a wrong certificate one that is not tried again.
func Certificate(err error) error {
	var unknown x509.UnknownAuthorityError
	var host x509.HostnameError
	var invalid x509.CertificateInvalidError
	var verify *tls.CertificateVerificationError
	if errors.As(err, &unknown) || errors.As(err, &host) || errors.As(err, &invalid) || errors.As(err, &verify) ||
		err != nil && strings.Contains(err.Error(), "failed to verify certificate") { // which one client wraps as text only
		return &Refused{fmt.Errorf("the server's certificate is not accepted (%w); name the authority's file under \"ca\"", err)}
	}
	return err
}

// Connect signs in to a database whose tables are judged where they lie, by the name
// of how it is asked.
type Connect = func(context.Context, *Job) (intake.Database, error)

// NewJob is a job that asks and writes nothing. ask reads a password from a terminal,
// at most once.
func NewJob(s *Source, ask func() (string, error)) *Job {
	return &Job{Source: s, Secret: sync.OnceValues(func() (string, error) { return secret(s.Secret, ask) })}
}

// Takes reports whether the protocol fetches what a format reads.
func (p *Protocol) Takes(format string) bool {
	return len(p.Reads) == 0 || slices.Contains(p.Reads, format)
}
