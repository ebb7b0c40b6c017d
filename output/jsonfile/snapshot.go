package jsonfile

import (
	"bufio"
	"io"
	"slices"
	"time"

	"yewcone/core/facts"
	"yewcone/core/snapshot"
)

// Snapshot writes down what an export says, as package core/snapshot has it,
// and reports whether the export was read to its end. The export is read
// twice: stored passwords that several accounts share must be known before
// the first account is written.
func Snapshot(w io.Writer, export facts.Export, maxRefused int) (partial bool, err error) {
	var marks []uint64
	err = export.Accounts(func(a *facts.Account) error {
		if a.StoredMark != 0 {
			marks = append(marks, a.StoredMark)
		}
		return nil
	})
	if err != nil {
		return false, err
	}
	noted := export.Notes().Clone()
	defer func() { *export.Notes() = noted }()
	partial = noted.Partial() || noted.Refused() > maxRefused
	buffered := bufio.NewWriterSize(w, 1<<16)
	lines := newEncoder(buffered)
	system := export.System()
	if err := lines.Encode(snapshot.Line{System: systemOf(system, partial, noted.Refused())}); err != nil {
		return partial, err
	}
	var end snapshot.End
	for p := range system.AllPolicies {
		line := snapshot.OfPolicy(p)
		line.None = p == system.NoPolicy
		if err := lines.Encode(snapshot.Line{Policy: line}); err != nil {
			return partial, err
		}
		end.Policies++
	}
	numbers := sharedMarks(marks)
	var account snapshot.Account
	err = export.Accounts(func(a *facts.Account) error {
		end.Accounts++
		snapshot.OfAccount(&account, a)
		account.SamePassword = numbers.of(a.StoredMark)
		return lines.Encode(snapshot.Line{Account: &account})
	})
	if err != nil {
		return partial, err
	}
	if err := lines.Encode(snapshot.Line{End: &end}); err != nil {
		return partial, err
	}
	return partial, buffered.Flush()
}

func systemOf(s *facts.System, partial bool, refused int) *snapshot.System {
	out := &snapshot.System{Version: snapshot.Version, Name: s.Name, Title: s.Title, Labels: s.Labels, AsOfFrom: s.AsOfFrom,
		Chooses: string(s.Chooses), Default: s.Default, WhyFirst: s.WhyFirst, Partial: partial, Refused: refused}
	if !s.AsOf.IsZero() {
		out.AsOf = s.AsOf.UTC().Format(time.RFC3339)
	}
	return out
}

// sharedNumbers are numbers for the marks that occur more than once, in the
// order in which they are asked for: the marks themselves differ from run to
// run.
type sharedNumbers struct {
	numbers map[uint64]uint64
	given   uint64
}

func sharedMarks(marks []uint64) sharedNumbers {
	slices.Sort(marks)
	shared := sharedNumbers{numbers: map[uint64]uint64{}}
	for i := 1; i < len(marks); i++ {
		if marks[i] == marks[i-1] {
			shared.numbers[marks[i]] = 0
		}
	}
	return shared
}

func (s *sharedNumbers) of(mark uint64) uint64 {
	number, ok := s.numbers[mark]
	if ok && number == 0 {
		s.given++
		number = s.given
		s.numbers[mark] = number
	}
	return number
}
