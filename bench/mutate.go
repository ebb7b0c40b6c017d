package main

import (
	"bytes"
	"fmt"
	"io/fs"
	"math/rand/v2"
	"os"
	"path/filepath"
	"regexp"
	"slices"
	"sort"
	"strings"
	"time"

	"yewcone/core/audit"
	"yewcone/core/finding"
	"yewcone/demo"
	"yewcone/intake/estatefolder"
)

// mutations are what happens to files on their way: each returns the changed
// file, or nil where it does not apply.
var mutations = []struct {
	name string
	of   func(r *rand.Rand, path string, data []byte) []byte
}{
	{"emptied", func(*rand.Rand, string, []byte) []byte { return []byte{} }},
	{"zeroed", func(_ *rand.Rand, _ string, data []byte) []byte { return make([]byte, len(data)) }},
	{"cut", func(r *rand.Rand, path string, data []byte) []byte {
		n := r.IntN(len(data))
		if n == 0 || !packed(path) && data[n-1] == '\n' { // rows that are gone whole are gone
			return nil
		}
		return data[:n]
	}},
	{"doubled", func(_ *rand.Rand, _ string, data []byte) []byte { return append(slices.Clone(data), data...) }},
	{"garbled", func(r *rand.Rand, _ string, data []byte) []byte {
		out, at := slices.Clone(data), r.IntN(len(data))
		for i := at; i < min(at+100, len(out)); i++ {
			out[i] = byte(r.IntN(256))
		}
		return out
	}},
	{"without line feeds", func(_ *rand.Rand, path string, data []byte) []byte {
		if packed(path) {
			return nil
		}
		return bytes.ReplaceAll(data, []byte("\n"), []byte("\r"))
	}},
	{"a word from tomorrow", tomorrow},
	{"one bit", func(r *rand.Rand, path string, data []byte) []byte {
		if !packed(path) { // another value in a text is another value
			return nil
		}
		out := slices.Clone(data)
		out[r.IntN(len(out))] ^= 1 << r.IntN(8)
		return out
	}},
}

// closed are words of lists that somebody else keeps and may make longer: their
// first group is the word.
var closed = []struct{ file, word string }{
	{`hba_file_rules\.csv$`, `,(scram-sha-256|md5|password|peer|trust|cert|ident|ldap|pam|reject|gss|radius),`},
	{`hba_file_rules\.csv$`, `,(local|host|hostssl|hostnossl),`},
	{`(bookings|pg\w*)/settings\.csv$`, `(?m)^(?:password_encryption|ssl|row_security|log_connections),("?\w[\w-]*"?)`},
	{`global_priv\.\w+$`, `"plugin":\s*"(\w+)"`},
	{`plugins\.\w+$`, `(?m)^(\w+)\t`},
	{`plugins\.\w+$`, `(?m)^\w+\t[\d.]+\t(\w+)`},
	{`plugins\.\w+$`, `(?m)^\w+\t[\d.]+\t\w+\t([A-Z ]+)`},
	{`variables\.\w+$`, `(?m)^(?:default_password_lifetime|old_passwords|secure_auth|strict_password_validation|` +
		`simple_password_check_\w+|cracklib_\w+|disconnect_on_\w+)\t(\w+)`},
	{`pam\.d/`, `(pam_\w+)\.so`},
	{`pam\.d/`, `(?m)^-?(?:auth|account|password|session)\s+(required|requisite|sufficient|optional|include|substack)\s`},
	{`pam\.d/`, `\w+=(die|bad|ok|done|ignore|reset)`},
	{`pam\.d/`, `\.so.* (\w+)`},
	{`nsswitch\.conf$`, `(?m)^(?:passwd|shadow|group|sudoers):\s+(\w+)`},
	{`sshd_config|\.conf$|sshd-effective`, `(?mi)^(?:PasswordAuthentication|PermitRootLogin|UsePAM|PermitEmptyPasswords|` +
		`KbdInteractiveAuthentication|AuthenticationMethods) (\S+)`},
	{`sshd_config|sshd-effective`, `(?mi)^(PasswordAuthentication|PermitRootLogin|UsePAM|PermitEmptyPasswords|KbdInteractiveAuthentication) `},
	{`pwquality`, `(?m)^(\w+)\s*=`},
	{`faillock\.conf`, `(?m)^(\w+)`},
	{`login\.defs`, `(?m)^ENCRYPT_METHOD\s+(\w+)`},
	{`shadow$`, `(?m)^[^:]+:\$(\w+)\$`},
	{`(slapcat|ldapsearch).*\.ldif$`, `(?m)^userPassword: \{([\w-]+)\}`},
	{`slapcat-config\.ldif$`, `(?m)^(?:olcPPolicyHashCleartext|olcPPolicyUseLockout|olcPPolicyForwardUpdates): (\w+)`},
	{`(slapcat|ldapsearch)\.ldif$`, `(?m)^pwd(?:Lockout|MustChange|AllowUserChange|SafeModify|Reset): (\w+)`},
	{`princ_flags\.csv$`, `,(\w+),[01]$`},
	{`getprinc\.txt$`, `(?m)^Attributes:.* (\w+)$`},
	{`getprinc\.txt$`, `(?m)^Key: vno \d+, (\S+)$`},
	{`keyinfo\.csv$`, `,([\w-]+),normal`},
	{`kadm5\.acl$`, `(?m)^\S+\s+(\S+)`},
	{`sudoers`, `(NOPASSWD|PASSWD|NOEXEC|SETENV):`},
	{`rota/users\.csv$`, `,(Yes|No|On|Off),`},
	{`tills/staff\.csv$`, `,(yes|no|Y|N|1|0),`},
	{`yard/benutzer\.csv$`, `;(ja|nein);`},
	{`cuentas\.xml$`, `>(sí|no)<`},
	{`users-\d+\.json$`, `: (true|false)`},
}

// tomorrow puts a word that nobody has heard of in the place of one of a closed
// list.
func tomorrow(r *rand.Rand, path string, data []byte) []byte {
	var places [][]int
	for _, c := range closed {
		if regexp.MustCompile(c.file).MatchString(filepath.ToSlash(path)) {
			for _, m := range regexp.MustCompile(c.word).FindAllSubmatchIndex(data, -1) {
				places = append(places, m[2:4])
			}
		}
	}
	if len(places) == 0 {
		return nil
	}
	at := places[r.IntN(len(places))]
	return slices.Concat(data[:at[0]], []byte("tomorrow9"), data[at[1]:])
}

// captured are exports of real servers beside those of the demo: how each is read
// and its files.
var captured = map[string]struct {
	read, folder string
	files        []string
}{
	"kdc": {"kerberos", "kerberos", []string{"getpol.txt", "getprinc.txt", "kadm5.acl"}},
	"kdc2": {"kerberos", "kerberos", []string{"getpol.txt", "princ_meta.csv", "princ_lockout.csv", "princ_flags.csv",
		"princ_tktpolicy.csv", "keyinfo.csv", "kadm5.acl"}},
	"dom":  {"samba", "samba", []string{"domain.ldif", "pso.ldif", "accounts.ldif"}},
	"pg1":  {"postgresql", "postgresql", []string{"authid.json", "auth_members.csv", "settings.csv", "hba_file_rules.csv", "version.txt"}},
	"pg2":  {"postgresql", "postgresql", []string{"roles.jsonl", "auth_members.csv", "settings.csv", "hba_file_rules.csv", "version.txt"}},
	"mdb1": {"mariadb", "mariadb", []string{"global_priv.json", "variables.json", "plugins.tsv", "roles_mapping.tsv", "version.txt"}},
	"mdb2": {"mariadb", "mariadb", []string{"global_priv.xml", "variables.xml", "plugins.xml", "roles_mapping.xml", "version.txt"}},
	"tree": {"ldif", ".", []string{"ldapsearch.ldif"}},
}

// addCaptured puts them into the demo's estate.
func addCaptured(folder string) error {
	root := "cli/testdata/truth"
	if _, err := os.Stat(root); err != nil {
		root = "../" + root
	}
	estate, err := os.ReadFile(filepath.Join(folder, estatefolder.FileName))
	if err != nil {
		return err
	}
	for _, name := range sortedKeys(captured) {
		c := captured[name]
		from := "exports/" + name
		if err := os.MkdirAll(filepath.Join(folder, from), 0o700); err != nil {
			return err
		}
		for _, file := range c.files {
			data, err := os.ReadFile(filepath.Join(root, c.folder, file))
			if err != nil {
				return err
			}
			if err := os.WriteFile(filepath.Join(folder, from, file), data, 0o600); err != nil {
				return err
			}
		}
		if c.read == "ldif" || c.read == "samba" {
			from = "[" + from + "/" + strings.Join(c.files, ", "+from+"/") + "]"
		}
		estate = fmt.Appendf(estate, "\n  %s:\n    export: {read: %s, from: %s}\n    rules: [house, privileged]\n", name, c.read, from)
	}
	return os.WriteFile(filepath.Join(folder, estatefolder.FileName), estate, 0o600)
}

func packed(path string) bool {
	return strings.HasSuffix(path, ".xlsx") || strings.HasSuffix(path, ".gz")
}

// came is what a check of one system came to.
type came struct {
	failed   bool
	accounts int
	findings map[string]finding.Finding
	unknown  map[string]int // accounts, by rule
	told     map[string]int // notes, by file
	partial  bool
	refused  int
}

func check(folder, system string) came {
	out := came{findings: map[string]finding.Finding{}, unknown: map[string]int{}, told: map[string]int{}}
	e, err := estatefolder.Load(folder)
	if err != nil {
		out.failed = true
		return out
	}
	subjects, err := e.Subjects([]string{system}, time.Time{})
	if err != nil {
		out.failed = true
		return out
	}
	r, err := audit.Run("mutated", subjects, audit.Options{Examples: 1, Jobs: 1, ValueOf: e.ValueOf(time.Time{})})
	if err != nil {
		out.failed = true
		return out
	}
	s := &r.Systems[0]
	out.accounts, out.partial, out.refused = s.Accounts, s.Partial, s.Refused
	for _, f := range r.Findings {
		out.findings[f.Fingerprint] = f
	}
	for i := range r.Unknowns {
		for _, rule := range r.Unknowns[i].Rules {
			out.unknown[rule.String()] += 1 + r.Unknowns[i].Reach.Accounts
		}
	}
	for _, n := range s.Notes {
		out.told[n.Origin.File]++
	}
	return out
}

// difference is where a file was changed, where that is told in few words.
func difference(before, after []byte) string {
	at := 0
	for at < min(len(before), len(after)) && before[at] == after[at] {
		at++
	}
	return fmt.Sprintf("; from byte %d: %.40q", at, after[max(0, at-20):])
}

// silent says what became better without a word, of a file that was mutated; ""
// for nothing.
func silent(before, after *came, file string) string {
	if after.failed || after.partial || after.refused > before.refused || after.told[file] > before.told[file] {
		return ""
	}
	if after.accounts < before.accounts {
		return fmt.Sprintf("%d of %d accounts", after.accounts, before.accounts)
	}
	for _, fingerprint := range sortedKeys(before.findings) {
		f := before.findings[fingerprint]
		now, there := after.findings[fingerprint]
		if there && now.Reach.Accounts >= f.Reach.Accounts || after.unknown[f.Rule.String()] > before.unknown[f.Rule.String()] {
			continue
		}
		if sameRule(after, &f) >= sameRule(before, &f) {
			continue // it is told of another policy or value now
		}
		return fmt.Sprintf("%s: %s (%d accounts, now %d)", f.Rule, f.Sentence, f.Reach.Accounts, now.Reach.Accounts)
	}
	return ""
}

// sameRule is how many accounts, or findings without any, a rule's findings reach.
func sameRule(c *came, f *finding.Finding) (n int) {
	for _, o := range c.findings {
		if o.Rule == f.Rule && o.Setting == f.Setting {
			n += max(1, o.Reach.Accounts)
		}
	}
	return n
}

func sortedKeys[V any](m map[string]V) []string {
	var keys []string
	for k := range m {
		keys = append(keys, k)
	}
	sort.Strings(keys)
	return keys
}

// mutate changes a file of the demo's exports so many times, and counts what
// became better without a word.
func mutate(count int, seed uint64) error {
	folder, err := os.MkdirTemp("", "mutate")
	if err != nil {
		return err
	}
	defer os.RemoveAll(folder)
	if err := demo.WriteEstate(folder); err != nil {
		return err
	}
	if err := addCaptured(folder); err != nil {
		return err
	}
	e, err := estatefolder.Load(folder)
	if err != nil {
		return err
	}
	type target struct {
		system, file string
		data         []byte
	}
	var targets []target
	before := map[string]came{}
	for _, system := range e.Names() {
		before[system] = check(folder, system)
		root := filepath.Join(folder, "exports", system)
		if err := filepath.WalkDir(root, func(path string, d fs.DirEntry, err error) error {
			if err != nil || d.IsDir() {
				return err
			}
			data, err := os.ReadFile(path)
			if err == nil && len(data) > 0 {
				name, _ := filepath.Rel(folder, path)
				targets = append(targets, target{system, name, data})
			}
			return err
		}); err != nil {
			return err
		}
	}
	only := os.Getenv("MUTATE_ONLY")
	r := rand.New(rand.NewPCG(seed, 0))
	found, did := map[string][]string{}, 0
	for did < count {
		t := targets[r.IntN(len(targets))]
		m := mutations[r.IntN(len(mutations))]
		if only != "" && !strings.Contains(t.file+" "+m.name, only) {
			continue
		}
		data := m.of(r, t.file, t.data)
		if data == nil || bytes.Equal(data, t.data) {
			continue
		}
		did++
		path := filepath.Join(folder, t.file)
		if err := os.WriteFile(path, data, 0o600); err != nil {
			return err
		}
		was, now := before[t.system], check(folder, t.system)
		if what := silent(&was, &now, t.file); what != "" {
			found[t.file+" "+m.name] = append(found[t.file+" "+m.name], what+difference(t.data, data))
		}
		if err := os.WriteFile(path, t.data, 0o600); err != nil {
			return err
		}
	}
	all := 0
	for _, key := range sortedKeys(found) {
		all += len(found[key])
		fmt.Printf("%3d  %s: %s\n", len(found[key]), key, found[key][0])
	}
	fmt.Printf("%d of %d became better without a word (seed %d)\n", all, did, seed)
	if all > 0 {
		return fmt.Errorf("%d silent changes", all)
	}
	return nil
}
