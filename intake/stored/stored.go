// Package stored tells from a stored password how it is stored: it looks at
// the scheme's mark, never at the rest, and keeps nothing.
package stored

import (
	"strconv"
	"strings"

	"yewcone/core/hashes"
	"yewcone/core/setting"
)

// cryptMarks are the prefixes of crypt(5), longest first where one begins
// another.
var cryptMarks = []struct {
	mark  string
	grade setting.Value
}{
	{"$argon2", setting.StoredMemoryHard},
	{"$y$", setting.StoredMemoryHard}, {"$gy$", setting.StoredMemoryHard}, {"$7$", setting.StoredMemoryHard},
	{"$2", setting.StoredSaltedSlow}, {"$6$", setting.StoredSaltedSlow}, {"$5$", setting.StoredSaltedSlow},
	{"$pbkdf2", setting.StoredSaltedSlow}, {"$sha1$", setting.StoredSaltedSlow},
	{"$1$", setting.StoredSaltedFast}, {"$apr1$", setting.StoredSaltedFast}, {"$md5", setting.StoredSaltedFast},
	{"$3$", setting.StoredUnsalted},
}

// Crypt grades what crypt(3) made: memory-hard for yescrypt, scrypt and
// argon2; salted slow for bcrypt and SHA-crypt; salted fast for MD5-crypt and
// DES, whose work today's machines do in no time. Anything else is unknown.
func Crypt(text string) setting.Value {
	for _, m := range cryptMarks {
		if strings.HasPrefix(text, m.mark) {
			return m.grade
		}
	}
	if isDES(text) {
		return setting.StoredSaltedFast
	}
	return setting.Value{}
}

// CryptWorks reports whether crypt(3), as Debian builds it, compares passwords
// with a text: one of a form that it does not know matches none.
func CryptWorks(text string) bool {
	return Crypt(text).Known() && !strings.ContainsAny(text, "\r\n ") && !strings.HasPrefix(text, "$apr1$") && text[0] != '_'
}

// Mark returns a number that is the same for equal stored passwords within one
// run of the program, or several that share a key; 0 for an empty text.
func Mark(text string) uint64 {
	if text == "" {
		return 0
	}
	return hashes.Text(hashes.Stored, text)
}

// isDES: thirteen characters of the crypt alphabet, or "_" and nineteen; or
// eleven more for each eight characters of a long password, up to 128 (bigcrypt).
func isDES(text string) bool {
	blocks := (len(text) - 2) / 11 // behind two characters of salt
	switch {
	case len(text) == 20 && text[0] == '_':
		text = text[1:]
	case blocks < 1 || blocks > 16 || len(text) != 2+11*blocks:
		return false
	}
	for i := range len(text) {
		c := text[i]
		if c != '.' && c != '/' && (c < '0' || c > '9') && (c < 'A' || c > 'Z') && (c < 'a' || c > 'z') {
			return false
		}
	}
	return true
}

var directorySchemes = map[string]setting.Value{
	"CLEARTEXT": setting.StoredClear,
	"SHA":       setting.StoredUnsalted, "MD5": setting.StoredUnsalted, "SHA256": setting.StoredUnsalted,
	"SHA384": setting.StoredUnsalted, "SHA512": setting.StoredUnsalted, "LANMAN": setting.StoredUnsalted, "NT": setting.StoredUnsalted,
	"SSHA": setting.StoredSaltedFast, "SMD5": setting.StoredSaltedFast, "SSHA256": setting.StoredSaltedFast,
	"SSHA384": setting.StoredSaltedFast, "SSHA512": setting.StoredSaltedFast, "APR1": setting.StoredSaltedFast,
	"PBKDF2": setting.StoredSaltedSlow, "PBKDF2-SHA1": setting.StoredSaltedSlow, "PBKDF2-SHA256": setting.StoredSaltedSlow,
	"PBKDF2-SHA512": setting.StoredSaltedSlow, "BCRYPT": setting.StoredSaltedSlow,
	"ARGON2": setting.StoredMemoryHard,
}

// Directory grades a value of userPassword (RFC 2307: {SCHEME}data; without a
// scheme the password stands in clear). A scheme that is not known here, or
// that hands the check to another system ({SASL}), is unknown.
func Directory(value string) setting.Value {
	if !strings.HasPrefix(value, "{") {
		return setting.StoredClear
	}
	scheme, data, ok := strings.Cut(value[1:], "}")
	if !ok {
		return setting.StoredClear
	}
	scheme = strings.ToUpper(scheme)
	if scheme == "CRYPT" {
		return Crypt(data)
	}
	return directorySchemes[scheme]
}

// Scheme is the beginning of a value of userPassword that alone says how it is stored,
// "{SSHA}"; "" where more of it does.
func Scheme(value string) string {
	end := strings.IndexByte(value[:min(len(value), longestScheme)], '}') + 1
	if end == 0 || value[0] != '{' || end == len("{CRYPT}") && strings.EqualFold(value[:end], "{CRYPT}") {
		return ""
	}
	return value[:end]
}

// longestScheme is how long the marks of schemes are at most, with their brackets.
const longestScheme = 24

// Rounds tells how often a stored password was hashed, where its scheme counts
// rounds and says how many: those of crypt(5) with plain numbers, and
// SCRAM-SHA-256.
func Rounds(text string) (int, bool) {
	mark, rest, _ := strings.Cut(strings.TrimPrefix(text, "$"), "$")
	number, _, _ := strings.Cut(rest, "$")
	number, _, _ = strings.Cut(number, ":")
	switch mark {
	case "1", "apr1":
		return 1000, true
	case "5", "6":
		if count, ok := strings.CutPrefix(number, "rounds="); ok {
			n, err := strconv.Atoi(count)
			return min(max(n, 1000), 999_999_999), err == nil
		}
		return 5000, true
	case "2a", "2b", "2y":
		n, err := strconv.Atoi(number)
		return 1 << min(max(n, 0), 31), err == nil
	case "SCRAM-SHA-256", "pbkdf2", "pbkdf2-sha256", "pbkdf2-sha512":
		n, err := strconv.Atoi(number)
		return n, err == nil && n > 0
	}
	return 0, false
}

// names are schemes that stand before a "$" as frameworks and libraries write
// them: pbkdf2_sha256$rounds$salt$hash.
var names = map[string]setting.Value{
	"pbkdf2_sha256": setting.StoredSaltedSlow, "pbkdf2_sha1": setting.StoredSaltedSlow, "pbkdf2_sha512": setting.StoredSaltedSlow,
	"bcrypt": setting.StoredSaltedSlow, "bcrypt_sha256": setting.StoredSaltedSlow, "argon2": setting.StoredMemoryHard,
	"scrypt": setting.StoredMemoryHard, "sha1": setting.StoredSaltedFast, "md5": setting.StoredSaltedFast,
	"unsalted_md5": setting.StoredUnsalted, "unsalted_sha1": setting.StoredUnsalted,
	"SCRAM-SHA-256": setting.StoredSaltedSlow,
}

// Prefixed grades a stored password that says by what stands before it how it
// is stored: {SSHA256}, $6$, pbkdf2_sha256$. Anything else is unknown, since a
// column of no known application may hold anything.
func Prefixed(text string) setting.Value {
	if strings.HasPrefix(text, "{") && strings.Contains(text, "}") {
		return Directory(text)
	}
	if strings.HasPrefix(text, "$") {
		return Crypt(text)
	}
	if name, _, ok := strings.Cut(text, "$"); ok {
		return names[name]
	}
	return setting.Value{}
}
