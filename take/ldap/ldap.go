// Package ldap takes exports of directories over LDAP (RFC 4511): OpenLDAP, 389 and
// Samba.
package ldap

import (
	"bufio"
	"context"
	"encoding/base64"
	"errors"
	"fmt"
	"io"
	"net"
	"net/url"
	"strings"

	"github.com/go-ldap/ldap/v3"

	"yewcone/take"
)

// Protocol asks directories.
var Protocol = take.Protocol{Name: "ldap", Reads: []string{"ldif", "389-directory", "samba", "mapping"}, Asks: asks, Take: run}

// pageSize is how many entries are asked for at a time (RFC 2696).
const pageSize = 500

// A search is one of those that make up an export. A file begins with each that has
// another number.
type search struct {
	file     int
	base     string
	scope    int
	filter   string
	attrs    []string
	optional bool // it may be forbidden, or there may be nothing
}

// never are attributes that no check reads and that would be passwords themselves.
var never = map[string]bool{"nsslapd-rootpw": true, "unicodepwd": true, "supplementalcredentials": true}

// userAttrs are asked of the accounts of Samba.
const sambaAttrs = "objectClass cn sAMAccountName displayName givenName sn mail description userAccountControl pwdLastSet badPwdCount badPasswordTime " +
	"lockoutTime accountExpires lastLogon lastLogonTimestamp primaryGroupID memberOf member groupType objectSid objectGUID whenCreated whenChanged " +
	"logonHours userWorkstations"

const ds389Attrs = "* aci createTimestamp modifyTimestamp pwdpolicysubentry nsAccountLock nsRole passwordExpirationTime passwordRetryCount " +
	"retryCountResetTime accountUnlockTime passwordGraceUserTime passwordAllowChangeTime pwdUpdateTime pwdReset lastLoginTime acctPolicySubentry " +
	"pwdTPRReset pwdTPRUseCount"

const all = "(objectClass=*)"

// searches of a format, in the order in which they are written.
func searches(reads string, bases []string) []search {
	var list []search
	sub := ldap.ScopeWholeSubtree
	switch reads {
	case "389-directory":
		list = []search{
			{0, "cn=config", ldap.ScopeBaseObject, all, []string{"*", "passwordHistory"}, false},
			{0, "cn=Account Policy Plugin,cn=plugins,cn=config", sub, all, nil, true},
		}
		for _, base := range bases {
			list = append(list,
				search{0, base, sub, "(&(objectClass=ldapsubentry)(objectClass=passwordPolicy))", []string{"*", "passwordHistory", "modifyTimestamp"}, true},
				search{1, base, sub, "(|(objectClass=*)(objectClass=ldapsubentry))", strings.Fields(ds389Attrs), false})
		}
	case "samba":
		for _, base := range bases {
			list = append(list,
				search{0, base, ldap.ScopeBaseObject, all, nil, false},
				search{1, "CN=Password Settings Container,CN=System," + base, sub, "(objectClass=msDS-PasswordSettings)", nil, true},
				search{2, base, sub, "(|(objectCategory=person)(objectCategory=computer)(objectCategory=group))", strings.Fields(sambaAttrs), false},
				search{3, base, sub, "(|(objectClass=organizationalUnit)(objectClass=domainDNS))", []string{"objectClass", "nTSecurityDescriptor"}, true})
		}
	default:
		for _, base := range bases {
			list = append(list, search{0, base, sub, all, []string{"*", "+"}, false})
		}
		list = append(list, search{1, "cn=config", sub, "(!(objectClass=olcSchemaConfig))", []string{"*", "+"}, true})
	}
	return list
}

// in puts searches into so many files: the last takes the rest.
func (s *search) in(files int) int { return min(s.file, files-1) }

func asks(s *take.Source) []string {
	bases := s.Bases
	if len(bases) == 0 {
		bases = []string{"each naming context that the server tells"}
	}
	var list []string
	for _, q := range searches(s.Reads, bases) {
		attrs := strings.Join(q.attrs, " ")
		if attrs == "" {
			attrs = "*"
		}
		list = append(list, fmt.Sprintf("%s: %s %s: %s", s.Files[q.in(len(s.Files))], q.base, q.filter, attrs))
	}
	return list
}

func run(ctx context.Context, j *take.Job) error {
	return j.Again(ctx, j.Source.Address, func() error {
		c, err := connect(ctx, j.Source)
		if err != nil {
			return err
		}
		defer c.Close()
		stop := context.AfterFunc(ctx, func() { c.Close() })
		defer stop()
		if err := bind(c, j); err != nil {
			return err
		}
		// What follows writes; a server that goes away then is not asked again.
		if err := export(c, j); err != nil {
			return &take.Refused{Err: err}
		}
		return nil
	})
}

func connect(ctx context.Context, s *take.Source) (*ldap.Conn, error) {
	scheme, rest, _ := strings.Cut(s.Address, "://")
	address, host := s.Address, ""
	switch scheme {
	case "ldap", "ldaps":
		u, err := url.Parse(s.Address)
		if err != nil || u.Hostname() == "" {
			return nil, &take.Refused{Err: errors.New("the address names no host")}
		}
		host = u.Hostname()
	case "ldapi": // whose socket is written with %2F for each slash
		socket, err := url.PathUnescape(rest)
		if err != nil || !strings.HasPrefix(socket, "/") {
			return nil, &take.Refused{Err: errors.New("ldapi:// is followed by the path of a socket, with %2F for each slash")}
		}
		address = "ldapi://" + socket
	default:
		return nil, &take.Refused{Err: errors.New("the address begins with ldap://, ldaps:// or ldapi://")}
	}
	config, err := take.TLS(s, host)
	if err != nil {
		return nil, err
	}
	if scheme == "ldap" && !s.StartTLS && (s.Secret != nil || s.External) {
		return nil, &take.Refused{Err: errors.New("a password would cross the network readable: say ldaps://, or \"starttls: yes\"")}
	}
	var dialer net.Dialer
	if deadline, ok := ctx.Deadline(); ok {
		dialer.Deadline = deadline
	}
	c, err := ldap.DialURL(address, ldap.DialWithTLSConfig(config), ldap.DialWithDialer(&dialer))
	if err != nil {
		return nil, inner(take.Certificate(err))
	}
	if s.StartTLS {
		if err := c.StartTLS(config); err != nil {
			c.Close()
			return nil, inner(take.Certificate(err))
		}
	}
	return c, nil
}

// inner is an error of the network without the words of LDAP around it.
func inner(err error) error {
	var e *ldap.Error
	if errors.As(err, &e) && e.ResultCode == ldap.ErrorNetwork && !errors.As(err, new(*take.Refused)) {
		return e.Err
	}
	return err
}

func bind(c *ldap.Conn, j *take.Job) error {
	s := j.Source
	var err error
	switch {
	case s.External:
		err = c.ExternalBind()
	case s.User != "":
		password, secretErr := j.Secret()
		if secretErr != nil {
			return &take.Refused{Err: secretErr}
		}
		err = c.Bind(s.User, password)
	}
	if ldap.IsErrorAnyOf(err, ldap.LDAPResultBusy, ldap.LDAPResultUnavailable, ldap.ErrorNetwork) {
		return err
	}
	if err != nil {
		return &take.Refused{Err: fmt.Errorf("the sign-in was refused, and is not tried again: %s", result(err))}
	}
	if who, err := c.WhoAmI(nil); err == nil {
		j.By = who.AuthzID
	}
	return nil
}

// result is the outcome of an operation without the message of the server, which may
// repeat what it was given.
func result(err error) string {
	var e *ldap.Error
	if errors.As(err, &e) {
		if text, ok := ldap.LDAPResultCodeMap[e.ResultCode]; ok {
			return fmt.Sprintf("%d %s", e.ResultCode, text)
		}
	}
	return err.Error()
}

func export(c *ldap.Conn, j *take.Job) error {
	s := j.Source
	bases := s.Bases
	if len(bases) == 0 {
		root, err := c.Search(ldap.NewSearchRequest("", ldap.ScopeBaseObject, ldap.NeverDerefAliases, 0, 0, false, all,
			[]string{"namingContexts", "defaultNamingContext"}, nil))
		if err != nil || len(root.Entries) == 0 {
			return fmt.Errorf("the server does not tell what it holds; name it under \"base\": %s", result(err))
		}
		bases = root.Entries[0].GetAttributeValues("namingContexts")
		if domain := root.Entries[0].GetAttributeValue("defaultNamingContext"); domain != "" && s.Reads == "samba" {
			bases = []string{domain}
		}
		if len(bases) == 0 {
			return errors.New("the server names nothing that it holds; name it under \"base\"")
		}
	}
	list := searches(s.Reads, bases)
	for file := range s.Files {
		err := j.File("", func(w io.Writer) error {
			out := bufio.NewWriterSize(w, 1<<16)
			written := map[string]bool{}
			for i := range list {
				if q := &list[i]; q.in(len(s.Files)) == file {
					if err := write(c, j, q, out, written); err != nil {
						return err
					}
				}
			}
			return out.Flush()
		})
		if err != nil {
			return err
		}
	}
	j.Whole = s.Reads == "389-directory" && strings.EqualFold(s.User, "cn=directory manager")
	return nil
}

// write asks page by page, and writes what comes as LDIF (RFC 2849). An entry that
// an earlier search of the file brought is not written again.
func write(c *ldap.Conn, j *take.Job, q *search, out *bufio.Writer, written map[string]bool) error {
	paging := ldap.NewControlPaging(pageSize)
	controls := []ldap.Control{paging}
	if j.Source.Reads == "samba" {
		controls = append(controls, &ldap.ControlMicrosoftSDFlags{Criticality: false, ControlValue: 7}) // owner, group and access, which need no special right
	}
	request := ldap.NewSearchRequest(q.base, q.scope, ldap.NeverDerefAliases, 0, 0, false, q.filter, q.attrs, controls)
	for {
		answer, err := c.Search(request)
		if err != nil {
			if q.optional && ldap.IsErrorAnyOf(err, ldap.LDAPResultNoSuchObject, ldap.LDAPResultInsufficientAccessRights) {
				j.Told("%s: %s", q.base, result(err))
				return nil
			}
			return fmt.Errorf("%s: %s", q.base, result(err))
		}
		for _, entry := range answer.Entries {
			if key := strings.ToLower(entry.DN); !written[key] {
				written[key] = true
				entryTo(out, entry)
				j.Rows++
			}
		}
		j.Told("%s: %d entries", q.base, j.Rows)
		next, ok := ldap.FindControl(answer.Controls, ldap.ControlTypePaging).(*ldap.ControlPaging)
		if !ok || len(next.Cookie) == 0 {
			return nil
		}
		paging.SetCookie(next.Cookie)
	}
}

func entryTo(out *bufio.Writer, entry *ldap.Entry) {
	line(out, "dn", []byte(entry.DN))
	for _, a := range entry.Attributes {
		if never[strings.ToLower(a.Name)] {
			continue
		}
		for _, value := range a.ByteValues {
			line(out, a.Name, value)
		}
	}
	_ = out.WriteByte('\n')
}

// line writes one value, in base64 where RFC 2849 asks for that.
func line(out *bufio.Writer, name string, value []byte) {
	_, _ = out.WriteString(name)
	if !safe(value) {
		_, _ = out.WriteString(":: " + base64.StdEncoding.EncodeToString(value) + "\n")
		return
	}
	_, _ = out.WriteString(": ")
	_, _ = out.Write(value)
	_ = out.WriteByte('\n')
}

func safe(value []byte) bool {
	for i, c := range value {
		if c == 0 || c == '\n' || c == '\r' || c >= 0x80 || i == 0 && (c == ' ' || c == ':' || c == '<') {
			return false
		}
	}
	return len(value) == 0 || value[len(value)-1] != ' '
}
