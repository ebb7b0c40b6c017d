// Package linux reads the account files of a Linux host, copied with their
// paths into one folder: etc/passwd, etc/shadow, etc/group, etc/login.defs,
// etc/pam.d, etc/security, etc/sudoers; and, where somebody printed them
// there, lastlog.txt and faillock.txt.
//
// What the files mean was asked of running systems (Debian 12 and 13; see
// docs/readers.md) and differs from what one might think:
//   - login.defs governs accounts made later; one that exists has what its
//     line in shadow says;
//   - pwquality reads the files of pwquality.conf.d first and its main file
//     last, the last value wins, and arguments on the PAM line beat both;
//   - a largest age of 0 is not never: the password is due the day after it was
//     set, by libpam 1.7.0 on that day; one of 10000 days and more ends too;
//   - the fifth of five failures locks, an unlock time of 0 is for ever, and the
//     last second of a lock still locks;
//   - pam_pwhistory counts the present password among those it remembers.
package linux

import (
	"bytes"
	"errors"
	"io/fs"
	"path"
	"slices"
	"strings"
	"time"

	"yewcone/core/facts"
	"yewcone/core/setting"
	"yewcone/intake"
	"yewcone/intake/rows"
	"yewcone/intake/text"
)

// how are the commands that take an export.
const how = `On the host, as root, with bash:
mkdir -m 700 export
(cd / && cp -p --parents $(ls -d etc/{passwd,shadow,group,login.defs,sudoers} etc/default/useradd etc/ssh/sshd_config{,.d/*} etc/{pam.d,sudoers.d}/* etc/security/*.conf etc/security/pwquality.conf.d/*.conf 2>/dev/null) "$OLDPWD/export")
ls -d /etc/{pam.d,security,security/pwquality.conf.d,sudoers.d}{,/*} /{usr/,}lib{,64}{,/*}/security/pam_*.so > export/files.txt 2>/dev/null
(dpkg-query -W || rpm -qa --qf '%{NAME}\t%{VERSION}-%{RELEASE}\n') > export/versions.txt 2>/dev/null
(uname -n; hostname -f) > export/hostname.txt
command -v lastlog >/dev/null && LC_ALL=C TZ=UTC lastlog > export/lastlog.txt
command -v faillock >/dev/null && TZ=UTC faillock > export/faillock.txt
command -v sshd >/dev/null && sshd -T > export/sshd.txt
date -u +%FT%TZ > export/taken.txt

files.txt shows what the host has not got, which is else not taken for a default; versions.txt settles
what differs between releases; hostname.txt which lines of sudoers hold here.

estate.yaml:
  export: {read: linux, from: export}
Several hosts make one system where each has a folder: from: [export-a, export-b]. Each is
then a policy of the folder's name, and its accounts name it.
`

// Format is the account files of one Linux host, or of several.
var Format = intake.Format{
	Name: "linux",
	Doc:  "the account files of a Linux host: passwd, shadow, group, login.defs, PAM, pwquality, faillock, sudoers",
	Open: open,
	How:  how,
	ToKnow: map[string]string{
		"idle":            "lastlog > lastlog.txt, in the folder of the export",
		"never_signed_in": "lastlog > lastlog.txt, in the folder of the export",
		"locked":          "faillock > faillock.txt, in the folder of the export",
		"failures":        "faillock > faillock.txt, in the folder of the export",
		"privileged": "copy etc/sudoers, etc/sudoers.d and what they include, and take hostname.txt; who is in a netgroup, and which " +
			"addresses the host has, is in no file: say under \"privileged\" in estate.yaml whom such a line makes an administrator",
		"common_barred": "depends on the dictionary of cracklib: try some, and write the answer under \"known\" in estate.yaml",
		"account_age":   "the files do not keep when an account was made",
		"created":       "the files do not keep when an account was made",
		"never_changed": "the files do not keep when an account was made",
		"password_age":  "the date of the last change was set to 0, or is empty, in etc/shadow",
		"idle_timeout":  "depends on shells and sshd: write it under \"known\" in estate.yaml",
		"second_factor": "copy etc/pam.d with the files of all modules",
	},
}

// host is the name of the one policy of a single host.
const host = "host"

type export struct {
	intake.Base

	request    *intake.Request
	root       string
	policy     *facts.Policy
	loaded     map[string]bool  // modules of the stacks that were read
	credits    map[string]int64 // that shorten what pwquality asks
	passwdFile string           // as origins name it
	shadowFile string
	shadow     namedLines
	texts      map[dayText]string // of the fields of shadow, while accounts are filled in
	noShadow   bool
	primary    map[string]string // gid to the group's name
	hasGroups  bool
	member     map[string][]string // user to groups
	sudo       *sudoers
	sudoersDir bool // some line includes etc/sudoers.d
	sshd       sshd
	tally      map[string][]failure // by user; nil when not exported
	untold     map[string]bool      // users of whom a failure could not be read
	tallyCut   bool                 // whose failures were lost is unknown
	lastSeen   map[string]facts.Moment
	lock       lockRule
	uidMin     int64
	rootFree   bool      // pwquality only warns root
	nullok     facts.Tri // empty passwords let in
	unixLets   facts.Tri // a right password lets in
	anyLets    facts.Tri // and so does any other, of an account that did not fail lately
	alwaysLets facts.Tri // whatever failed before
	newer      facts.Tri // libpam is 1.7.0 or later; no: 1.5.2 or earlier
	listed     map[string]bool
	opened     map[string]bool // files of the export
}

func open(r *intake.Request) (facts.Export, error) {
	if len(r.From) > 1 {
		return openHosts(r)
	}
	return openHost(r, r.From[0], host)
}

// openHost reads one host, whose policy gets the given name.
func openHost(r *intake.Request, root, policy string) (*export, error) {
	e := &export{request: r, root: strings.TrimSuffix(root, "/"), Base: r.NewBase(), uidMin: 1000, unixLets: facts.Yes, opened: map[string]bool{}}
	e.passwdFile, e.shadowFile = e.root+"/etc/passwd", e.root+"/etc/shadow"
	e.Read.Chooses = facts.ChooseSingle
	e.Read.Policies = []facts.Policy{{Name: policy, Origin: facts.Origin{File: e.root}}}
	e.Read.Default = policy
	e.policy = &e.Read.Policies[0]
	if !e.exists("etc/passwd") {
		message := "no such file; \"from\" must name the folder into which etc/ was copied"
		if e.exists("passwd") {
			message += "; here passwd lies in the folder itself: put it and the others into etc/ within it, as yewcone intake --how linux does"
		}
		return nil, &intake.Unreadable{File: e.root + "/etc/passwd", Message: message, Err: fs.ErrNotExist}
	}
	e.taken()
	e.loginDefs()
	e.versions()
	e.pam()
	e.readGroups()
	e.readShadow()
	e.readSudoers()
	e.readTally()
	e.readSshd()
	e.readLastSignIns()
	e.left()
	return e, nil
}

// taken reads the moment that the export speaks for, as date printed it.
func (e *export) taken() {
	lines, _ := e.lines("taken.txt")
	if !e.Read.AsOf.IsZero() || len(lines) == 0 {
		return
	}
	if at, err := time.Parse(time.RFC3339, strings.TrimSpace(lines[0].text)); err == nil {
		e.Read.AsOf, e.Read.AsOfFrom = at.UTC(), "taken.txt"
		return
	}
	e.Noted.Refuse(e.origin("taken.txt", lines[0]), "this is no moment such as 2026-11-20T06:00:00Z; date -u +%%FT%%TZ prints one")
}

// left notes the files of the export that nobody reads.
func (e *export) left() {
	e.opened["etc/passwd"] = true // which is streamed later
	var left []string
	_ = fs.WalkDir(dirFS(e.request.Path(e.root)), ".", func(name string, entry fs.DirEntry, err error) error {
		if err == nil && !entry.IsDir() && !e.opened[name] && path.Base(name)[0] != '.' {
			left = append(left, name)
		}
		return nil
	})
	rows.SayLeft(&e.Noted, e.root, left)
}

// line is one line of a file.
type line struct {
	text   string
	number int
}

// exists reports whether the export has a file.
func (e *export) exists(name string) bool {
	f, err := e.request.Open(e.root+"/"+name, "utf-8")
	if err == nil {
		f.Close()
	}
	return !errors.Is(err, fs.ErrNotExist) // what is there and cannot be read is told by whoever reads it
}

// lack says what is the matter with a file that says nothing.
func (e *export) lack(name string) string {
	if e.exists(name) {
		return "it cannot be read"
	}
	return "no such file"
}

// eachLine hands over the lines of a file. False when the export lacks it.
// A file that ends in the middle of a line was cut off.
func (e *export) eachLine(name string, each func(line) error) (bool, error) {
	return e.eachLineOf(name, &e.Noted, each)
}

// eachLineOf is eachLine that notes elsewhere.
func (e *export) eachLineOf(name string, notes *facts.Notes, each func(line) error) (bool, error) {
	full := e.root + "/" + name
	f, err := e.request.Open(full, "")
	if errors.Is(err, fs.ErrNotExist) {
		return false, nil
	}
	e.opened[name] = true
	if err != nil {
		notes.Incomplete(facts.Origin{File: full}, "%s", intake.Reason(err))
		return false, nil
	}
	defer f.Close()
	s := text.NewScanner(f)
	s.Split(wholeLines)
	n, carried := 0, false // all lines have got a carriage return on the way
	damaged := false
	for s.Scan() {
		n++
		text := s.Text()
		if !damaged && controls(text) {
			damaged = true
			notes.Incomplete(facts.Origin{File: full, Line: n}, "the line has control characters, which no system writes here: the file is damaged; copy it again")
		}
		bare, ended := strings.CutSuffix(text, "\r")
		if carried = carried || n == 1 && ended; carried {
			text = bare
		}
		if at := strings.IndexByte(text, '\r'); !damaged && at >= 0 && at < len(text)-1 {
			damaged = true
			notes.Incomplete(facts.Origin{File: full, Line: n}, "carriage returns stand inside the line: lines have run together on the way; copy the file again")
		}
		if err := each(line{text, n}); err != nil {
			return true, err
		}
	}
	switch {
	case n == 0 && s.Err() == nil && !mayBeEmpty(name):
		notes.Incomplete(facts.Origin{File: full}, "the file is empty, as no system has it: what it would say is unknown; copy it again")
		return false, nil
	case n == 0 && s.Err() == nil:
		notes.Remark(facts.Origin{File: full}, "the file is empty: where the host's is not, copy it again")
	case s.Err() != nil:
		notes.Incomplete(facts.Origin{File: full, Line: n + 1}, "the file cannot be read on: %s", text.Told(s.Err()))
	case !f.EndsInLine():
		notes.Incomplete(facts.Origin{File: full, Line: n}, "the file ends in the middle of a line: it was cut off; copy it again")
	}
	return true, nil
}

// mayBeEmpty reports whether a host may have a file of a name with nothing in it.
func mayBeEmpty(name string) bool {
	return !strings.HasPrefix(name, "etc/") && name != "lastlog.txt" || strings.HasPrefix(name, "etc/sudoers.d/") ||
		strings.HasPrefix(name, "etc/security/") && strings.Contains(name, ".conf.d/")
}

// controls reports whether a line has control characters other than those of
// white space.
func controls(text string) bool {
	return strings.IndexFunc(text, func(c rune) bool { return c < ' ' && c != '\t' && c != '\r' && c != '\f' && c != '\v' || c == 0x7f }) >= 0
}

// wholeLines cuts at line feeds and leaves a carriage return where it is: the
// system does not take it for the end of a line either.
func wholeLines(data []byte, atEnd bool) (int, []byte, error) {
	if i := bytes.IndexByte(data, '\n'); i >= 0 {
		return i + 1, data[:i], nil
	}
	if atEnd && len(data) > 0 {
		return len(data), data, nil
	}
	return 0, nil, nil
}

// lines reads a small file whole.
func (e *export) lines(name string) ([]line, bool) {
	var all []line
	ok, _ := e.eachLine(name, func(l line) error {
		all = append(all, l)
		return nil
	})
	return all, ok
}

func (e *export) origin(name string, l line) facts.Origin {
	return facts.Origin{File: e.root + "/" + name, Line: l.number, Text: strings.Join(strings.Fields(l.text), " ")}
}

// set records a setting of the host.
func (e *export) set(id setting.ID, v setting.Value, origin facts.Origin) {
	e.policy.Set(id, v, origin)
}

// found is a key's value and where it stood.
type found struct {
	value  string
	origin facts.Origin
}

// loginDefs reads what new accounts get, and where people's numbers begin.
func (e *export) loginDefs() {
	const name = "etc/login.defs"
	defs := map[string]found{}
	lines, _ := e.lines(name)
	for _, l := range lines {
		fields := strings.Fields(l.text)
		if len(fields) >= 2 && fields[0][0] != '#' {
			defs[fields[0]] = found{strings.Trim(strings.Join(fields[1:], " "), "\"'"), e.origin(name, l)}
		}
	}
	if n, ok := cNumber(defs["UID_MIN"].value); ok {
		e.uidMin = n
	}
	days := func(key string, id setting.ID, convert func(int64) setting.Value) {
		if n, ok := cNumber(defs[key].value); ok {
			e.set(id, convert(n), defs[key].origin)
		}
	}
	days("PASS_MAX_DAYS", setting.MaxAge, maxAge)
	days("PASS_MIN_DAYS", setting.MinAge, offAtZero)
	days("PASS_WARN_AGE", setting.WarnBefore, offAtZero)
	lines, _ = e.lines("etc/default/useradd")
	for _, l := range lines {
		if value, ok := strings.CutPrefix(l.text, "INACTIVE="); ok {
			if n, ok := cNumber(value); ok {
				e.set(setting.GracePeriod, inactive(n), e.origin("etc/default/useradd", l))
			}
		}
	}
	if method, ok := defs["ENCRYPT_METHOD"]; ok {
		if grade, known := cryptMethods[strings.ToLower(method.value)]; known {
			e.set(setting.Storage, grade, method.origin)
		}
	}
}

var cryptMethods = map[string]setting.Value{
	"yescrypt": setting.StoredMemoryHard, "gost_yescrypt": setting.StoredMemoryHard,
	"sha512": setting.StoredSaltedSlow, "sha256": setting.StoredSaltedSlow, "blowfish": setting.StoredSaltedSlow,
	"bcrypt": setting.StoredSaltedSlow,
	"md5":    setting.StoredSaltedFast, "des": setting.StoredSaltedFast, "bigcrypt": setting.StoredSaltedFast,
}

// readGroups reads who is in which group.
func (e *export) readGroups() {
	e.primary, e.member = map[string]string{}, map[string][]string{}
	e.hasGroups, _ = e.eachLine("etc/group", func(l line) error {
		if passedOver(l.text) {
			return nil
		}
		f := strings.Split(strings.TrimLeft(l.text, " \t"), ":")
		if len(f) < 4 {
			e.Noted.Refuse(facts.Origin{File: e.root + "/etc/group", Line: l.number},
				"the line has %d fields where a group has 4", len(f))
			return nil
		}
		if _, twice := e.primary[f[2]]; !twice {
			e.primary[f[2]] = f[0]
		}
		for user := range strings.SplitSeq(f[3], ",") {
			if user != "" && !slices.Contains(e.member[user], f[0]) {
				e.member[user] = append(e.member[user], f[0])
			}
		}
		return nil
	})
	if !e.hasGroups {
		e.Noted.Remark(facts.Origin{File: e.root + "/etc/group"},
			"%s: who is in which group, and so who may become root, is unknown; copy it too", e.lack("etc/group"))
	}
}

// readLastSignIns reads what lastlog prints; the date is the end of the line.
func (e *export) readLastSignIns() {
	const layout = "Mon Jan _2 15:04:05 -0700 2006"
	ok, _ := e.eachLine("lastlog.txt", func(l line) error {
		user, rest, _ := strings.Cut(l.text, " ")
		if e.lastSeen == nil {
			e.lastSeen = map[string]facts.Moment{}
		}
		words := strings.Fields(rest)
		switch at, err := time.Parse(layout, strings.Join(words[max(0, len(words)-6):], " ")); {
		case strings.Contains(l.text, "\r"): // of two users
		case strings.Contains(rest, "**Never logged in**"):
			e.lastSeen[user] = facts.Never
		case err == nil:
			e.lastSeen[user] = facts.At(at)
		case l.number > 1:
			e.Noted.RemarkOnce("lastlog", facts.Origin{File: e.root + "/lastlog.txt", Line: l.number},
				"no last sign-in can be read here: lastlog prints dates as in %q with LC_ALL=C", layout)
		}
		return nil
	})
	if ok && e.lastSeen == nil {
		e.lastSeen = map[string]facts.Moment{}
	}
}

// inFolder lists the files of a folder of the export, sorted.
func (e *export) inFolder(name, suffix string) []string {
	entries, err := fs.ReadDir(dirFS(e.request.Path(e.root)), name)
	if err != nil {
		return nil
	}
	var names []string
	for _, entry := range entries {
		if !entry.IsDir() && strings.HasSuffix(entry.Name(), suffix) {
			names = append(names, path.Join(name, entry.Name()))
		}
	}
	return names
}
