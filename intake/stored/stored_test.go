package stored

import (
	"testing"

	"yewcone/core/setting"
)

func grade(v setting.Value) string {
	return setting.At(setting.Storage).Text(v)
}

// TestCrypt: the marks of crypt(5), and texts that only look like one. The
// values are shaped like hashes and are none.
func TestCrypt(t *testing.T) {
	for text, want := range map[string]string{
		"$y$j9T$aaaaaaaa$bbbbbbbb": "memory-hard", "$gy$j9T$aaaa$bbbb": "memory-hard",
		"$7$CU..../....aaaa$bbbb": "memory-hard", "$argon2id$v=19$m=65536$aaaa$bbbb": "memory-hard",
		"$2b$12$aaaaaaaaaaaaaaaaaaaaaa": "salted slow", "$2y$05$aaaa": "salted slow",
		"$6$rounds=5000$aaaa$bbbb": "salted slow", "$5$aaaa$bbbb": "salted slow",
		"$pbkdf2-sha256$29000$aaaa$bbbb": "salted slow", "$sha1$40000$aaaa$bbbb": "salted slow",
		"$1$aaaa$bbbb": "salted fast", "$apr1$aaaa$bbbb": "salted fast", "$md5$aaaa": "salted fast",
		"aaBBccDDeeFFg": "salted fast", "_J9..aaaaBBBBccccDDD": "salted fast",
		"aaBBccDDeeFFgaBBccDDeeFF": "salted fast", "aaBBccDDeeFFgaBBccDDeeFFgaBBccDDeeF": "salted fast", // bigcrypt
		"$3$$aaaa": "unsalted fast",
		"":         "unknown", "!": "unknown", "*": "unknown", "x": "unknown", "$": "unknown", "$9$aaaa": "unknown",
		"aaBBccDDeeFF:": "unknown", "aaBBccDDeeFFgg": "unknown", "aaBBccDDeeFFgaBBccDDeeF": "unknown", "_short": "unknown",
	} {
		if got := grade(Crypt(text)); got != want {
			t.Errorf("%q is graded %s, expected %s", text, got, want)
		}
	}
}

// TestDirectory: RFC 2307's schemes, in any case, and values without one,
// which are readable.
func TestDirectory(t *testing.T) {
	for text, want := range map[string]string{
		"{SSHA}aaaa": "salted fast", "{ssha512}aaaa": "salted fast", "{SHA}aaaa": "unsalted fast",
		"{MD5}aaaa": "unsalted fast", "{PBKDF2-SHA256}10000$aaaa$bbbb": "salted slow",
		"{ARGON2}$argon2id$v=19$aaaa": "memory-hard", "{CRYPT}$6$aaaa$bbbb": "salted slow",
		"{crypt}$y$aaaa$bbbb": "memory-hard", "{CRYPT}!": "unknown", "{CLEARTEXT}harbour": "cleartext",
		"harbour": "cleartext", "{": "cleartext", "{NEWSCHEME}aaaa": "unknown",
	} {
		if got := grade(Directory(text)); got != want {
			t.Errorf("%q is graded %s, expected %s", text, got, want)
		}
	}
}

// TestMark: equal texts have equal marks, others others, and none has none.
func TestMark(t *testing.T) {
	first, again := Mark("a"), Mark("a")
	if Mark("") != 0 || first == 0 || first != again || Mark("a") == Mark("b") {
		t.Error("the marks do not tell stored passwords apart")
	}
}
