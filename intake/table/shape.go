package table

import (
	"fmt"
	"strings"
	"unicode"
	"unicode/utf8"
)

// Shape tells what a text looks like without showing it: for messages about
// columns that may hold a secret.
func Shape(text string) string {
	digits, letters := 0, 0
	for _, r := range text {
		switch {
		case unicode.IsDigit(r):
			digits++
		case unicode.IsLetter(r):
			letters++
		}
	}
	n := utf8.RuneCountInString(text)
	switch {
	case n == 0:
		return "nothing"
	case digits == n:
		return fmt.Sprintf("a number of %s", counted(n, "digit"))
	case digits > 0 && letters == 0:
		return fmt.Sprintf("digits and signs, %s", counted(n, "character"))
	case letters == n:
		return fmt.Sprintf("a word of %s", counted(n, "letter"))
	}
	return "text of " + counted(n, "character")
}

func counted(n int, what string) string {
	if n == 1 {
		return "1 " + what
	}
	return fmt.Sprintf("%d %ss", n, what)
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
