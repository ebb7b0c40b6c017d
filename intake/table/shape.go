package table

import (
	"fmt"
	"strings"
	"unicode"
	"unicode/utf8"
)

// Kind tells what sort of text one is, in a word, and how many characters it
// has.
func Kind(text string) (kind string, characters int) {
	digits, letters, signs := 0, 0, 0
	for _, r := range text {
		switch {
		case unicode.IsDigit(r):
			digits++
		case unicode.IsLetter(r):
			letters++
		case strings.ContainsRune("-/.:,+ ", r):
			signs++
		}
	}
	n := utf8.RuneCountInString(text)
	switch {
	case n > 0 && digits == n:
		return "number", n
	case digits > 0 && digits+signs == n:
		return "digits and signs", n
	case n > 0 && letters == n:
		return "word", n
	}
	return "text", n
}

// Shape tells what a text looks like without showing it: for messages about
// columns that may hold a secret.
func Shape(text string) string {
	kind, n := Kind(text)
	switch {
	case n == 0:
		return "nothing"
	case n == 1:
		return "1 character"
	case kind == "number":
		return fmt.Sprintf("a number of %d digits", n)
	case kind == "word":
		return fmt.Sprintf("a word of %d letters", n)
	case kind == "digits and signs":
		return fmt.Sprintf("digits and signs, %d characters", n)
	}
	return fmt.Sprintf("text of %d characters", n)
}

// Shown is a text for messages: itself where it is a short word, a number or a
// date, else its shape. Nothing that is stored of a password passes.
func Shown(text string) string {
	if len(text) > 30 {
		return Shape(text)
	}
	digits, letters, caps := 0, 0, 0
	for i, r := range text {
		switch {
		case r >= '0' && r <= '9':
			digits++
		case unicode.IsLetter(r) || r == ' ':
			if letters++; i > 0 && unicode.IsUpper(r) {
				caps++
			}
		case !strings.ContainsRune("-/.:+,_()%", r):
			return Shape(text)
		}
	}
	if digits > 0 && letters > 3 && !strings.Contains(text, " ") || digits > 0 && caps > 2 {
		return Shape(text)
	}
	return fmt.Sprintf("%q", text)
}

// NoHeading tells why a row can hardly be one of headings: what the first of
// its texts that reads like a value looks like; "" where it may be.
func NoHeading(row []string) string {
	for _, h := range row {
		long := utf8.RuneCountInString(h) > 60
		stored := strings.HasPrefix(h, "$") && strings.Count(h, "$") > 2 || strings.HasPrefix(h, "{") && strings.Contains(h, "}")
		number := h != "" && strings.Trim(h, "0123456789.,-:/ ") == ""
		if long || stored || number || strings.Contains(h, "@") {
			return Shape(h)
		}
	}
	return ""
}
