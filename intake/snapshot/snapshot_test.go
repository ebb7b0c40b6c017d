package snapshot

import (
	"strings"
	"testing"

	"yewcone/intake/intaketest"
)

const whole = `{"snapshot":{"version":1,"name":"x","chooses":"assigned","default":"p"}}
{"policy":{"name":"p","settings":[{"setting":"max_age","value":"90 days"}]}}
{"account":{"login":"ada","enabled":true,"password_set":"2026-11-01","same_password":7}}
{"account":{"login":"bo","locked":false,"same_password":7,"kind":"robot"}}
{"end":{"policies":1,"accounts":2}}
`

// TestLines: what a line says is read, a wrong one is refused with its number,
// and a missing end shows.
func TestLines(t *testing.T) {
	said, notes := intaketest.Read(t, Format, []string{"s.jsonl"}, map[string]string{"s.jsonl": whole})
	intaketest.Hold(t, "lines", said, map[string]string{"policy p: max_age": "90 days", "account ada: enabled": "true",
		"account ada: password_set": "2026-11-01", "account ada: locked": "", "account bo: is there": ""})
	if list := notes.List(); notes.Refused() != 1 || len(list) != 1 || list[0].Origin.Line != 4 ||
		!strings.Contains(list[0].Message, "robot") {
		t.Errorf("%d refused: %v", notes.Refused(), list)
	}
	_, notes = intaketest.Read(t, Format, []string{"s.jsonl"},
		map[string]string{"s.jsonl": strings.TrimSuffix(whole, "{\"end\":{\"policies\":1,\"accounts\":2}}\n")})
	if !notes.Partial() {
		t.Error("a snapshot without its end is whole")
	}
}
