package formats

import (
	"errors"
	"os"
	"path/filepath"
	"testing"

	"yewcone/core/facts"
	"yewcone/core/setting"
	"yewcone/intake"
)

// readAll opens an export and reads it to its end; a hostile one may be
// refused, but never more.
func readAll(t *testing.T, format string, request *intake.Request) (accounts int, notes *facts.Notes) {
	t.Helper()
	f, ok := Find(format)
	if !ok {
		t.Fatalf("no format %q", format)
	}
	request.System = "x"
	export, err := f.Open(request)
	if err != nil {
		return 0, nil
	}
	err = export.Accounts(func(a *facts.Account) error {
		accounts++
		if a.Login == "" {
			return errors.New("an account without a name")
		}
		return nil
	})
	if err != nil {
		t.Fatal(err)
	}
	for _, p := range export.System().Policies {
		for id, v := range p.Values {
			if def := setting.At(id); !def.Takes(v.Value) {
				t.Fatalf("%s is given the value %v", def.Name, v.Value)
			}
		}
	}
	return accounts, export.Notes()
}

func write(t *testing.T, path string, data []byte) {
	t.Helper()
	if err := errors.Join(os.MkdirAll(filepath.Dir(path), 0o755), os.WriteFile(path, data, 0o600)); err != nil {
		t.Fatal(err)
	}
}

const policyEntry = "dn: cn=p,ou=x\nobjectClass: pwdPolicy\ncn: p\npwdMinLength: 8\npwdCheckQuality: 2\npwdMaxAge: " +
	"99999999999999999999\nentryCSN: x\n\n"

func FuzzLDIF(f *testing.F) {
	f.Add([]byte("version: 1\ndn: uid=a,ou=x\nuid: a\nuserPassword:: e1NTSEF9eA==\ndescription: long\n er\n\n" + policyEntry))
	f.Add([]byte("dn: uid=a\r\nuid: a\r\npwdChangedTime: 20260902064800.123Z\r\npwdAccountLockedTime: " +
		"000001010000Z\r\n\r\n# search result\nsearch: 2\n"))
	f.Add([]byte("dn:: \n\ndn: cn=g\nobjectClass: groupOfNames\nmember: cn=g\n\n"))
	f.Fuzz(func(t *testing.T, data []byte) {
		folder := t.TempDir()
		write(t, filepath.Join(folder, "x.ldif"), data)
		readAll(t, "ldif", &intake.Request{Folder: folder, From: []string{"x.ldif"}})
	})
}

func FuzzLinux(f *testing.F) {
	f.Add([]byte("root:x:0:0:root:/root:/bin/bash\n"), []byte("root:$y$j9T$x:20697:0:99999:7:::\n"),
		[]byte("minlen = 12\ndcredit = -1\n"), []byte("password requisite pam_pwquality.so minlen=014\n@include passwd\n"))
	f.Add([]byte("a::1:1:::\nb:x"), []byte("a:!$1$:0:-1:0::-1:1:\na::::\n"), []byte("nonsense\n"), []byte("[a b\npassword [x=1 y\n"))
	f.Fuzz(func(t *testing.T, passwd, shadow, quality, pam []byte) {
		folder := t.TempDir()
		write(t, filepath.Join(folder, "h/etc/passwd"), passwd)
		write(t, filepath.Join(folder, "h/etc/shadow"), shadow)
		write(t, filepath.Join(folder, "h/etc/security/pwquality.conf"), quality)
		write(t, filepath.Join(folder, "h/etc/security/faillock.conf"), quality)
		write(t, filepath.Join(folder, "h/etc/login.defs"), quality)
		write(t, filepath.Join(folder, "h/etc/sudoers"), pam)
		write(t, filepath.Join(folder, "h/etc/pam.d/passwd"), pam)
		write(t, filepath.Join(folder, "h/etc/pam.d/login"), pam)
		readAll(t, "linux", &intake.Request{Folder: folder, From: []string{"h"}})
	})
}

const fuzzMapping = `mapping: M
dates: dd/mm/yyyy hh:mm
yes: "yes"
no: "no"
off: [never]
settings:
  - file: s.csv
    layout: pairs
    key: k
    value: v
    policy: p
    default: yes
    take: {min_length: a, max_age: {from: b, unit: days, zero: never}, lockout_duration: {from: c, zero: until unlocked}, common_barred: d, min_classes: e}
accounts:
  - file: u.csv
    take: {login: l, password_set: {from: d, empty: never}, enabled: e, groups: {from: g, split: ";"}}
    set: {max_age: {from: m, unit: months, zero: zero}}
`

func FuzzMapping(f *testing.F) {
	f.Add([]byte("k,v\na,8\nb,0\nc,12 hours\nd,yes\n"), []byte("l,d,e,g,m\nann,23/11/2026 06:00,yes,a;b,3\nbob,,no,,0\n"))
	f.Add([]byte("k;v\r\n\"a\";\"99999999999999999999\"\r\nb;P999999999Y\r\n"), []byte("l\td\te\tg\tm\n\"open,\n"))
	f.Add([]byte("\xff\xfek\x00,\x00v\x00"), []byte("\x1f\x8bnot gzip"))
	f.Fuzz(func(t *testing.T, settings, users []byte) {
		folder := t.TempDir()
		write(t, filepath.Join(folder, "m.yaml"), []byte(fuzzMapping))
		write(t, filepath.Join(folder, "x/s.csv"), settings)
		write(t, filepath.Join(folder, "x/u.csv"), users)
		readAll(t, "mapping", &intake.Request{Folder: folder, From: []string{"x"}, Mapping: "m.yaml"})
	})
}
