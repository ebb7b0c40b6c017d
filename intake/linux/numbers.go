package linux

import (
	"io/fs"
	"os"
	"strconv"
	"strings"

	"yewcone/core/setting"
)

func dirFS(folder string) fs.FS { return os.DirFS(folder) }

// cNumber reads a number as the C library's tools do: 014 is octal, 0x1f
// hexadecimal.
func cNumber(text string) (int64, bool) {
	n, err := strconv.ParseInt(strings.TrimSpace(text), 0, 64)
	return n, err == nil && !strings.Contains(text, "_")
}

// foreverDays: from this largest age on, chage prints "never".
const foreverDays = 10000

func days(n int64) setting.Value { return setting.Days(int32(min(n, 1<<20))) }

// maxAge: 0 is a real age, due the day after the password was set.
func maxAge(n int64) setting.Value {
	if n < 0 || n >= foreverDays {
		return setting.OffValue
	}
	return days(n)
}

// offAtZero: neither a smallest age nor a warning of 0 days does anything.
func offAtZero(n int64) setting.Value {
	if n <= 0 {
		return setting.OffValue
	}
	return days(n)
}

// inactive: -1 means that an account with an expired password is never shut.
func inactive(n int64) setting.Value {
	if n < 0 {
		return setting.OffValue
	}
	return days(n)
}
