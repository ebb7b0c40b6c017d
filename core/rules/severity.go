package rules

import (
	"fmt"

	"yewcone/core/nearword"
)

// Severity says how bad a finding is; more is worse.
type Severity uint8

// The severities.
const (
	Info Severity = iota + 1
	Low
	Medium
	High
	Critical
)

var severityNames = []string{"info", "low", "medium", "high", "critical"}

// Severities lists all, worst first.
var Severities = []Severity{Critical, High, Medium, Low, Info}

func (s Severity) String() string {
	if s < Info || s > Critical {
		return "none"
	}
	return severityNames[s-Info]
}

// ParseSeverity reads a severity's name.
func ParseSeverity(text string) (Severity, error) {
	for i, name := range severityNames {
		if text == name {
			return Severity(i) + Info, nil
		}
	}
	return 0, fmt.Errorf("%q is no severity; it is one of info, low, medium, high, critical%s", text, nearword.Advice(text, severityNames))
}
