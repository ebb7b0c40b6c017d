// Package web takes exports over HTTPS: lists of SCIM 2.0 (RFC 7644), and pages of
// JSON or CSV.
package web

import (
	"bufio"
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"net/http"
	"net/url"
	"strconv"
	"strings"
	"time"

	"yewcone/take"
)

// SCIM asks a service for its users and groups.
var SCIM = take.Protocol{Name: "scim", Reads: []string{"scim"}, Asks: asksSCIM, Take: takeSCIM}

// Pages asks for JSON or CSV, page after page.
var Pages = take.Protocol{Name: "web", Asks: asksPages, Take: takePages}

const (
	perPage  = 100
	mostPage = 64 << 20 // bytes of a page
	mostHops = 100000   // pages
	oneAsk   = 60 * time.Second
)

// lists are what a service of SCIM is asked for, by the place of the file.
var lists = []string{"Users", "Groups"}

func asksSCIM(s *take.Source) []string {
	var out []string
	for i, file := range s.Files[:min(len(s.Files), len(lists))] {
		out = append(out, file+": GET "+strings.TrimRight(s.Address, "/")+"/"+lists[i]+"?startIndex=…&count="+strconv.Itoa(perPage))
	}
	return out
}

func asksPages(s *take.Source) []string {
	text := s.Files[0] + ": GET " + s.Address
	if s.Next != "" {
		text += ", and what " + s.Next + " names next"
	}
	return []string{text}
}

// asker asks one service.
type asker struct {
	job    *take.Job
	client *http.Client
	origin *url.URL
}

func newAsker(j *take.Job) (*asker, error) {
	u, err := url.Parse(j.Source.Address)
	if err != nil || u.Host == "" || u.Scheme != "https" && u.Scheme != "http" {
		return nil, &take.Refused{Err: errors.New("the address begins with https:// and names a host")}
	}
	if u.User != nil {
		return nil, &take.Refused{Err: errors.New("a name or password stands in the address: say under \"user\" and \"secret\" who asks")}
	}
	if u.Scheme == "http" && j.Source.Secret != nil {
		return nil, &take.Refused{Err: errors.New("a token would cross the network readable: say https://")}
	}
	config, err := take.TLS(j.Source, u.Hostname())
	if err != nil {
		return nil, err
	}
	config.ServerName = "" // that of each address
	transport := http.DefaultTransport.(*http.Transport).Clone()
	transport.TLSClientConfig = config
	return &asker{job: j, origin: u, client: &http.Client{Transport: transport, Timeout: oneAsk, CheckRedirect: func(r *http.Request, _ []*http.Request) error {
		if r.URL.Host != u.Host || r.URL.Scheme != u.Scheme {
			return fmt.Errorf("it leads to another host, %s", r.URL.Host)
		}
		return nil
	}}}, nil
}

// get fetches a page whole, and the address that its headers name next.
func (a *asker) get(ctx context.Context, address string) (body []byte, next string, err error) {
	err = a.job.Again(ctx, address, func() error {
		body, next, err = a.once(ctx, address)
		return err
	})
	return body, next, err
}

func (a *asker) once(ctx context.Context, address string) ([]byte, string, error) {
	u, err := a.origin.Parse(address)
	if err != nil || u.Host != a.origin.Host || u.Scheme != a.origin.Scheme {
		return nil, "", &take.Refused{Err: errors.New("the next page lies on another host; it is not asked, since it would be given the token")}
	}
	r, err := http.NewRequestWithContext(ctx, http.MethodGet, u.String(), nil)
	if err != nil {
		return nil, "", &take.Refused{Err: err}
	}
	r.Header.Set("Accept", "application/scim+json, application/json, text/csv;q=0.9")
	r.Header.Set("User-Agent", "yewcone")
	secret, err := a.job.Secret()
	if err != nil {
		return nil, "", &take.Refused{Err: err}
	}
	switch {
	case secret != "" && a.job.Source.User != "":
		r.SetBasicAuth(a.job.Source.User, secret)
	case secret != "":
		r.Header.Set("Authorization", "Bearer "+secret)
	}
	answer, err := a.client.Do(r)
	var failed *url.Error
	if errors.As(err, &failed) {
		err = failed.Err // without the address, which stands beside it
	}
	if err != nil {
		return nil, "", take.Certificate(err)
	}
	defer answer.Body.Close()
	switch {
	case answer.StatusCode == http.StatusUnauthorized || answer.StatusCode == http.StatusForbidden:
		return nil, "", &take.Refused{Err: fmt.Errorf("the service refuses it, and is not asked again: %s", answer.Status)}
	case answer.StatusCode == http.StatusTooManyRequests || answer.StatusCode >= 500:
		seconds, _ := strconv.Atoi(answer.Header.Get("Retry-After"))
		return nil, "", &take.Wait{Err: fmt.Errorf("the service answers %s", answer.Status), For: time.Duration(seconds) * time.Second}
	case answer.StatusCode != http.StatusOK:
		return nil, "", &take.Refused{Err: fmt.Errorf("the service answers %s", answer.Status)}
	}
	body, err := io.ReadAll(io.LimitReader(answer.Body, mostPage+1))
	if err != nil {
		return nil, "", fmt.Errorf("the page broke off: %w", err)
	}
	if len(body) > mostPage {
		return nil, "", &take.Refused{Err: fmt.Errorf("a page has more than %d MB", mostPage>>20)}
	}
	return body, linked(answer.Header.Values("Link")), nil
}

// linked is the address of the next page (RFC 8288); "" for none.
func linked(headers []string) string {
	for _, h := range headers {
		for link := range strings.SplitSeq(h, ",") {
			target, params, _ := strings.Cut(strings.TrimSpace(link), ">")
			if strings.Contains(strings.ReplaceAll(params, `"`, ""), "rel=next") && strings.HasPrefix(target, "<") {
				return target[1:]
			}
		}
	}
	return ""
}

func takeSCIM(ctx context.Context, j *take.Job) error {
	a, err := newAsker(j)
	if err != nil {
		return err
	}
	if len(j.Source.Files) > len(lists) {
		return errors.New("\"from\" names one file for users, or two for users and groups")
	}
	for i := range j.Source.Files {
		if err := j.File("", func(w io.Writer) error { return a.list(ctx, lists[i], w) }); err != nil {
			return fmt.Errorf("%s: %w", lists[i], err)
		}
	}
	return nil
}

// list fetches all pages of a list, and writes them as one that tells how many the
// service has.
func (a *asker) list(ctx context.Context, name string, w io.Writer) error {
	out := bufio.NewWriter(w)
	total, got := -1, 0
	for range mostHops {
		address := fmt.Sprintf("%s/%s?startIndex=%d&count=%d", strings.TrimRight(a.job.Source.Address, "/"), name, got+1, perPage)
		var page struct {
			Total     *int              `json:"totalResults"`
			Resources []json.RawMessage `json:"Resources"`
		}
		body, _, err := a.get(ctx, address)
		if err != nil {
			return err
		}
		if err := json.Unmarshal(body, &page); err != nil || page.Total == nil {
			return errors.New("the answer is no list of SCIM: it has no totalResults")
		}
		if total < 0 {
			total = *page.Total
			fmt.Fprintf(out, `{"schemas":["urn:ietf:params:scim:api:messages:2.0:ListResponse"],"totalResults":%d,"startIndex":1,"itemsPerPage":%d,"Resources":[`, total, total)
		}
		if *page.Total != total {
			return fmt.Errorf("the service had %d of them and then %d: take the export again", total, *page.Total)
		}
		for _, r := range page.Resources {
			if got > 0 {
				_ = out.WriteByte(',')
			}
			_ = out.WriteByte('\n')
			var line bytes.Buffer
			if err := json.Compact(&line, r); err != nil {
				return err
			}
			_, _ = out.Write(line.Bytes())
			got++
			a.job.Rows++
		}
		a.job.Told("%s: %d of %d", name, got, total)
		if got >= total || len(page.Resources) == 0 {
			break
		}
	}
	if got != total {
		return fmt.Errorf("the service says that it has %d, and gave %d", total, got)
	}
	fmt.Fprint(out, "\n]}\n")
	return out.Flush()
}

func takePages(ctx context.Context, j *take.Job) error {
	a, err := newAsker(j)
	if err != nil {
		return err
	}
	if len(j.Source.Files) != 1 {
		return errors.New("\"from\" names one file")
	}
	return j.File("", func(w io.Writer) error { return a.pages(ctx, w) })
}

// pages writes the rows of all pages: with "rows" each on a line, else the pages as
// they are; of CSV the headings once.
func (a *asker) pages(ctx context.Context, w io.Writer) error {
	s, address, seen := a.job.Source, a.job.Source.Address, map[string]bool{}
	var heading []byte
	for n := range mostHops {
		if seen[address] {
			return errors.New("a page names one before it as the next")
		}
		seen[address] = true
		body, next, err := a.get(ctx, address)
		if err != nil {
			return err
		}
		var page map[string]json.RawMessage
		if s.Rows != "" || s.Next != "" {
			if err := json.Unmarshal(body, &page); err != nil {
				return errors.New("the page is no JSON object, and \"rows\" or \"next\" names a member of one")
			}
		}
		switch {
		case s.Rows != "":
			var rows []json.RawMessage
			if err := json.Unmarshal(page[s.Rows], &rows); err != nil {
				return fmt.Errorf("the page has no list %q", s.Rows)
			}
			for _, r := range rows {
				var line bytes.Buffer
				if err := json.Compact(&line, r); err != nil {
					return err
				}
				line.WriteByte('\n')
				if _, err := w.Write(line.Bytes()); err != nil {
					return err
				}
			}
			a.job.Rows += len(rows)
		case n == 0:
			heading, _, _ = bytes.Cut(body, []byte("\n"))
			a.job.Rows += bytes.Count(body, []byte("\n"))
			if _, err := w.Write(body); err != nil {
				return err
			}
		default:
			first, rest, _ := bytes.Cut(body, []byte("\n"))
			if !bytes.Equal(bytes.TrimRight(first, "\r"), bytes.TrimRight(heading, "\r")) {
				return errors.New("a page has other headings than the first; for JSON say under \"rows\" which member holds the rows")
			}
			a.job.Rows += bytes.Count(rest, []byte("\n"))
			if _, err := w.Write(rest); err != nil {
				return err
			}
		}
		if s.Next != "" {
			next = ""
			if raw, ok := page[s.Next]; ok && string(raw) != "null" {
				if err := json.Unmarshal(raw, &next); err != nil {
					return fmt.Errorf("%q is no address", s.Next)
				}
			}
		}
		if next == "" {
			return nil
		}
		address = next
	}
	return errors.New("there is no end of pages")
}
