package jsonrows

import (
	"fmt"
	"strings"
	"unicode/utf16"
	"unicode/utf8"
)

// skip reads any value.
func (p *jsonLine) skip(depth int) error {
	if p.i >= len(p.s) {
		return p.fail("a value")
	}
	switch c := p.s[p.i]; {
	case c == '"':
		_, _, err := p.raw()
		return err
	case c == '{':
		return p.object(nil, depth)
	case c == '[':
		return p.list(depth)
	case c == '-' || c >= '0' && c <= '9':
		return p.number()
	}
	for _, word := range [...]string{"true", "false", "null"} {
		if strings.HasPrefix(p.s[p.i:], word) {
			p.i += len(word)
			return nil
		}
	}
	return p.fail("a value")
}

func (p *jsonLine) list(depth int) error {
	if depth > maxNesting {
		return &badJSON{p.i + 1, fmt.Sprintf("values lie more than %d levels deep", maxNesting)}
	}
	p.i++
	p.space()
	if p.at(']') {
		p.i++
		return nil
	}
	for {
		if err := p.skip(depth + 1); err != nil {
			return err
		}
		p.space()
		switch {
		case p.at(','):
			p.i++
			p.space()
		case p.at(']'):
			p.i++
			return nil
		default:
			return p.fail("a comma or a closing bracket")
		}
	}
}

func (p *jsonLine) digits() bool {
	start := p.i
	for p.i < len(p.s) && p.s[p.i] >= '0' && p.s[p.i] <= '9' {
		p.i++
	}
	return p.i > start
}

func (p *jsonLine) number() error {
	if p.at('-') {
		p.i++
	}
	if p.at('0') {
		p.i++
	} else if !p.digits() {
		return p.fail("a digit")
	}
	if p.at('.') {
		p.i++
		if !p.digits() {
			return p.fail("a digit")
		}
	}
	if p.at('e') || p.at('E') {
		p.i++
		if p.at('+') || p.at('-') {
			p.i++
		}
		if !p.digits() {
			return p.fail("a digit")
		}
	}
	return nil
}

// raw reads a text without decoding it; odd tells that there is something to
// decode, or may be.
func (p *jsonLine) raw() (raw string, odd bool, err error) {
	p.i++
	start := p.i
	for {
		for p.i < len(p.s) && classes[p.s[p.i]] == plainByte {
			p.i++
		}
		switch {
		case p.i >= len(p.s):
			return "", false, p.fail("a closing quote")
		case p.s[p.i] >= 0x80:
			odd = true
			p.i++
			continue
		case p.s[p.i] == '"':
			p.i++
			return p.s[start : p.i-1], odd, nil
		case p.s[p.i] != '\\':
			return "", false, p.fail("text")
		}
		odd = true
		p.i++
		if p.i >= len(p.s) {
			return "", false, p.fail("a closing quote")
		}
		switch p.s[p.i] {
		case '"', '\\', '/', 'b', 'f', 'n', 'r', 't':
		case 'u':
			if _, ok := hex4(p.s[p.i+1:]); !ok {
				return "", false, p.fail("four hexadecimal digits after \\u")
			}
			p.i += 4
		default:
			return "", false, p.fail(`one of "\/bfnrtu`)
		}
		p.i++
	}
}

// text reads a text and decodes it.
func (p *jsonLine) text() (string, error) {
	raw, odd, err := p.raw()
	if err != nil || !odd || strings.IndexByte(raw, '\\') < 0 && utf8.ValidString(raw) {
		return raw, err
	}
	return string(unescape(nil, raw)), nil
}

func hex4(s string) (rune, bool) {
	if len(s) < 4 {
		return 0, false
	}
	var r rune
	for i := range 4 {
		switch c := s[i]; {
		case c >= '0' && c <= '9':
			r = r<<4 | rune(c-'0')
		case c >= 'a' && c <= 'f':
			r = r<<4 | rune(c-'a'+10)
		case c >= 'A' && c <= 'F':
			r = r<<4 | rune(c-'A'+10)
		default:
			return 0, false
		}
	}
	return r, true
}

// unescape appends a text that raw found sound, decoded.
func unescape(out []byte, raw string) []byte {
	for raw != "" {
		if raw[0] != '\\' {
			plain := strings.IndexByte(raw, '\\')
			if plain < 0 {
				plain = len(raw)
			}
			if utf8.ValidString(raw[:plain]) {
				out = append(out, raw[:plain]...)
			} else {
				for _, r := range raw[:plain] {
					out = utf8.AppendRune(out, r) // U+FFFD for what is no UTF-8
				}
			}
			raw = raw[plain:]
			continue
		}
		var length int
		out, length = escape(out, raw)
		raw = raw[length:]
	}
	return out
}

// escape appends what a text stands for that begins with a backslash, and returns how
// long that is; 0 where it stands for nothing.
func escape(out []byte, s string) ([]byte, int) {
	if len(s) < 2 {
		return out, 0
	}
	switch c := s[1]; c {
	case 'u':
		r, ok := hex4(s[2:])
		if !ok {
			return out, 0
		}
		length := len(`\u0000`)
		if utf16.IsSurrogate(r) {
			second, ok := rune(0), false
			if strings.HasPrefix(s[length:], `\u`) {
				second, ok = hex4(s[length+2:])
			}
			if r = utf16.DecodeRune(r, second); ok && r != utf8.RuneError {
				length *= 2
			}
		}
		return utf8.AppendRune(out, r), length
	case 'b':
		return append(out, '\b'), 2
	case 'f':
		return append(out, '\f'), 2
	case 'n':
		return append(out, '\n'), 2
	case 'r':
		return append(out, '\r'), 2
	case 't':
		return append(out, '\t'), 2
	case '"', '\\', '/':
		return append(out, c), 2
	}
	return out, 0
}
