package mapping

import (
	"regexp"
	"strconv"
	"strings"

	"yewcone/core/setting"
	"yewcone/core/strictyaml"
)

// numbers is how the files of a mapping write numbers and units of time.
type numbers struct {
	units     map[string]string // by word in small letters
	decimal   string            // "" for a point
	thousands string            // "" for none
}

var signs = map[string]string{"comma": ",", "point": ".", "blank": " ", "apostrophe": "'", ",": ",", ".": ".", " ": " ", "'": "'",
	"\u00a0": "\u00a0", "\u202f": "\u202f"}

func (p *plan) readNumbers() {
	sign := func(text *strictyaml.Text, words ...string) string {
		if text == nil {
			return ""
		}
		if s, ok := signs[text.Value]; ok {
			return s
		}
		return signs[p.choice(*text, words...)]
	}
	p.numbers = numbers{units: map[string]string{}, decimal: sign(p.file.Decimal, "point", "comma"),
		thousands: sign(p.file.Thousands, "point", "comma", "blank", "apostrophe")}
	if p.numbers.thousands != "" && p.numbers.thousands == p.numbers.decimal {
		p.fail(*p.file.Thousands, "thousands and decimals cannot have the same sign")
	}
	for _, u := range p.file.Units {
		if _, ok := setting.UnitSpan(u.Value.Value); !ok {
			p.fail(u.Value, "%q is no unit of time; write seconds, minutes, hours, days, weeks, months or years", u.Value.Value)
			continue
		}
		p.numbers.units[strings.ToLower(u.Key.Value)] = u.Value.Value
	}
}

// unit is the English word for a unit.
func (n *numbers) unit(word string) string {
	if unit, ok := n.units[strings.ToLower(word)]; ok {
		return unit
	}
	return word
}

// clock is a length of time as programs write it: days, hours, minutes, seconds.
var clock = regexp.MustCompile(`^(?:(\d+)[. ])?(\d+):(\d\d):(\d\d)(?:[.,]\d+)?$`)

// plain writes a number, and a length of time, as they are written in English.
func (n *numbers) plain(text string, length bool) string {
	if length {
		if m := clock.FindStringSubmatch(text); m != nil {
			var total int64
			for i, seconds := range []int64{86400, 3600, 60, 1} {
				part, _ := strconv.ParseInt("0"+m[i+1], 10, 32)
				total += part * seconds
			}
			return strconv.FormatInt(total, 10) + " seconds"
		}
	}
	if len(n.units) == 0 && n.decimal == "" && n.thousands == "" {
		return text
	}
	words := strings.Fields(text)
	for i, word := range words {
		end := 0
		for end < len(word) && (word[end] >= '0' && word[end] <= '9' || strings.ContainsRune(".,'", rune(word[end]))) {
			end++
		}
		digits := word[:end]
		if n.thousands != "" {
			digits = strings.ReplaceAll(digits, n.thousands, "")
		}
		if n.decimal == "," {
			digits = strings.Replace(digits, ",", ".", 1)
		}
		unit := n.unit(word[end:])
		if digits != "" && unit != "" {
			unit = " " + unit
		}
		words[i] = digits + unit
	}
	if n.thousands == " " {
		for i := 1; i < len(words); i++ {
			if number(words[i-1]) && number(words[i]) && len(words[i]) == 3 {
				words[i-1] += words[i]
				words = append(words[:i], words[i+1:]...)
				i--
			}
		}
	}
	return strings.Join(words, " ")
}

func number(word string) bool { return word != "" && strings.Trim(word, "0123456789") == "" }
