package kerberos

import (
	"bufio"
	"cmp"
	"slices"
	"strings"

	"yewcone/core/facts"
	"yewcone/intake/text"
)

// A profile is what kdc.conf and krb5.conf say, by section and keys with
// slashes between; the first value of each counts.
type profile struct {
	files  int
	values map[string]string
	more   bool // it takes in other files
}

// readProfile reads the files that say what the server leaves out of all that
// its policies ask. It takes both to know, since either may say it.
func (e *export) readProfile() profile {
	p := profile{values: map[string]string{}}
	for _, name := range []string{"kdc.conf", "krb5.conf"} {
		if f := e.request.OpenThere(e.folder+"/"+name, &e.Noted); f != nil {
			p.files++
			p.read(text.NewScanner(f))
			f.Close()
		}
	}
	return p
}

func (p *profile) read(s *bufio.Scanner) {
	var at []string
	for s.Scan() {
		line := strings.TrimSpace(s.Text())
		switch key, value, is := strings.Cut(line, "="); {
		case line == "" || line[0] == '#' || line[0] == ';':
		case line[0] == '[':
			name, _, _ := strings.Cut(line[1:], "]")
			at = []string{name}
		case strings.HasPrefix(line, "include"), strings.HasPrefix(line, "module "):
			p.more = true
		case line[0] == '}':
			if len(at) > 1 {
				at = at[:len(at)-1]
			}
		case is && strings.TrimSpace(value) == "{":
			at = append(at, strings.Trim(key, " \t*"))
		case is:
			name := strings.Join(append(slices.Clone(at), strings.Trim(key, " \t*")), "/")
			if _, there := p.values[name]; !there {
				p.values[name] = strings.Trim(value, " \t\"")
			}
		}
	}
	p.more = p.more || s.Err() != nil
}

// known reports whether what the files do not say is not so.
func (p *profile) known() bool { return p.files == 2 && !p.more }

// lockouts reports whether the server locks as its policies say.
func (p *profile) lockouts(realm string) facts.Tri {
	module := cmp.Or(p.values["realms/"+realm+"/database_module"], p.values["dbdefaults/database_module"], realm)
	switch strings.ToLower(p.values["dbmodules/"+module+"/disable_lockout"]) {
	case "y", "yes", "true", "t", "1", "on":
		return facts.No
	}
	if !p.known() {
		return facts.Unknown
	}
	return facts.Yes
}

// plainQuality reports whether passwords are looked at by the policies and
// against names alone: no dictionary, and no check of the house's own.
func (p *profile) plainQuality(realm string) bool {
	if !p.known() || p.values["realms/"+realm+"/dict_file"] != "" {
		return false
	}
	for key := range p.values {
		if strings.HasPrefix(key, "plugins/pwqual/") {
			return false
		}
	}
	return true
}
