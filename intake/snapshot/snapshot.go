// Package snapshot reads what "yewcone intake --format json" writes, and what
// anybody else writes in that form. Nothing is reckoned here: a zero, a
// default or a unit was decided by whoever wrote the file.
package snapshot

import (
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"strconv"
	"strings"

	"yewcone/core/facts"
	"yewcone/core/snapshot"
	"yewcone/intake"
	"yewcone/intake/stored"
	"yewcone/intake/text"
)

const how = `What this tool read of a system, as one object of JSON on each line:
  yewcone intake SYSTEM --format json --out SYSTEM.jsonl

Any program can write the form; docs/schema/snapshot-1.schema.json describes it.

estate.yaml:
  export: {read: snapshot, from: SYSTEM.jsonl}
`

// Format is the tool's own form.
var Format = intake.Format{
	Name: "snapshot", From: intake.OneFile,
	Doc:    "what this tool read of a system before, or another program wrote in the same form",
	Open:   open,
	How:    how,
	ToKnow: map[string]string{"": "take the snapshot anew from an export that says it"},
}

type export struct {
	intake.Base

	file     string
	path     string
	policies int
	accounts int
	end      *snapshot.End
}

// open reads up to the first account.
func open(r *intake.Request) (facts.Export, error) {
	e := &export{file: r.From[0], path: r.Path(r.From[0]), Base: r.NewBase()}
	f, err := text.Open(e.path, "")
	if err != nil {
		return nil, intake.CannotOpen(e.file, err)
	}
	defer f.Close()
	pieces := text.NewPieces(f, text.AfterLine)
	begun := false
	for {
		piece, err := pieces.Next()
		if err == io.EOF {
			break
		}
		if err != nil {
			return nil, &intake.Unreadable{File: e.file, Message: err.Error()}
		}
		number := piece.Line - 1
		for line := range strings.Lines(piece.Text) {
			number++
			if strings.TrimSpace(line) == "" {
				continue
			}
			if !begun {
				if err := e.begin(line, number, r); err != nil {
					return nil, err
				}
				begun = true
				continue
			}
			if !e.readPolicy(line, number) {
				return e, nil
			}
		}
	}
	if !begun {
		return nil, &intake.Unreadable{File: e.file, Message: "the file is empty; take the snapshot again"}
	}
	return e, nil
}

// decode reads one line; unknown names are wrong.
func decode(line string, into *snapshot.Line) error {
	d := json.NewDecoder(strings.NewReader(line))
	d.DisallowUnknownFields()
	err := d.Decode(into)
	var syntax *json.SyntaxError
	switch {
	case errors.As(err, &syntax):
		return fmt.Errorf("column %d: %w", syntax.Offset, text.ToldJSON(err))
	case err == io.ErrUnexpectedEOF:
		return errors.New("the line ends too early")
	case err != nil:
		return fmt.Errorf("column %d: %s", d.InputOffset()+1, strings.TrimPrefix(text.ToldJSON(err).Error(), "json: "))
	case strings.TrimSpace(line[d.InputOffset():]) != "":
		return fmt.Errorf("column %d: something follows the object", d.InputOffset()+1)
	}
	return into.Check()
}

func (e *export) begin(line string, number int, r *intake.Request) error {
	var l snapshot.Line
	wrong := func(message string) error {
		return &intake.Unreadable{File: e.file, Line: number, Message: message + "; the first line of a snapshot is {\"snapshot\": …}"}
	}
	if err := decode(line, &l); err != nil {
		return wrong(err.Error())
	}
	s := l.System
	if s == nil {
		return wrong("the system is missing")
	}
	if s.Version != snapshot.Version {
		return wrong(fmt.Sprintf("this is version %d, and version %d is read here", s.Version, snapshot.Version))
	}
	if e.Read.Chooses == "" {
		if !facts.Precedence(s.Chooses).Valid() {
			return wrong(fmt.Sprintf("chooses is %.40q, and is one of %s", s.Chooses, facts.ToChoose))
		}
		e.Read.Chooses = facts.Precedence(s.Chooses)
	}
	e.Read.WhyFirst = s.WhyFirst
	if e.Read.Default == "" {
		e.Read.Default = s.Default
	}
	if e.Read.AsOf.IsZero() && s.AsOf != "" {
		var at snapshot.Moment
		if err := at.UnmarshalJSON([]byte(`"` + s.AsOf + `"`)); err != nil {
			return wrong("as_of: " + err.Error())
		}
		e.Read.AsOf, _ = facts.Moment(at).Time()
		e.Read.AsOfFrom = s.AsOfFrom
	}
	if s.Partial {
		e.Noted.Incomplete(facts.Origin{File: e.file, Line: number}, "the export that the snapshot was made of was not read to its end")
	}
	if s.Refused > 0 {
		e.Noted.Remark(facts.Origin{File: e.file, Line: number},
			"of the export that the snapshot was made of, %d rows or values were refused", s.Refused)
	}
	return nil
}

// readPolicy takes in a policy; false when the accounts begin. What is wrong
// with other lines is noted when the accounts are read.
func (e *export) readPolicy(line string, number int) bool {
	var l snapshot.Line
	origin := facts.Origin{File: e.file, Line: number}
	if err := decode(line, &l); err != nil || l.Policy == nil {
		return l.Account == nil
	}
	e.policies++
	p, err := l.Policy.Policy(origin)
	switch {
	case err != nil:
		e.Noted.Refuse(origin, "the policy is left out: %s", err)
	case e.Read.Policy(p.Name) != nil:
		e.Noted.Refuse(origin, "the policy %q stands here a second time; the first counts", p.Name)
	case l.Policy.None:
		e.Read.NoPolicy = &p
	default:
		e.Read.Policies = append(e.Read.Policies, p)
	}
	return true
}

// Accounts streams the accounts.
func (e *export) Accounts(yield func(*facts.Account) error) error {
	return facts.InOrder(e.Parts, yield)
}

// Parts divides the file at the ends of lines.
func (e *export) Parts(yield func(facts.Part) error) error {
	f, err := text.Open(e.path, "")
	if err != nil {
		return yield(&part{export: e, failed: err})
	}
	defer f.Close()
	pieces := text.NewPieces(f, text.AfterLine)
	for {
		piece, err := pieces.Next()
		if err == io.EOF {
			return yield(&part{export: e, last: true})
		}
		if err != nil {
			return yield(&part{export: e, failed: err})
		}
		if err := yield(&part{export: e, piece: piece}); err != nil {
			return err
		}
	}
}

// part is a run of lines. The one with last set has none and ends the file.
type part struct {
	export   *export
	piece    text.Piece
	notes    facts.Notes
	accounts int
	end      *snapshot.End
	failed   error
	last     bool
}

func (p *part) Accounts(yield func(*facts.Account) error) error {
	var l snapshot.Line
	var a facts.Account
	number := p.piece.Line - 1
	for line := range strings.Lines(p.piece.Text) {
		number++
		if strings.TrimSpace(line) == "" {
			continue
		}
		origin := facts.Origin{File: p.export.file, Line: number}
		l = snapshot.Line{}
		if err := decode(line, &l); err != nil {
			p.notes.Refuse(origin, "the line is left out: %s", err)
			continue
		}
		if l.End != nil {
			p.end = l.End
		}
		if l.Account == nil {
			continue
		}
		p.accounts++
		if err := l.Account.Account(&a, origin, mark); err != nil {
			p.notes.Refuse(origin, "the account is left out: %s", err)
			continue
		}
		if err := yield(&a); err != nil {
			return err
		}
	}
	return nil
}

// mark makes the mark of a stored password out of the number that accounts
// with the same one share.
func mark(number uint64) uint64 {
	return stored.Mark("same " + strconv.FormatUint(number, 10))
}

func (p *part) Done() {
	e := p.export
	e.Noted.Join(&p.notes)
	e.accounts += p.accounts
	if p.end != nil {
		e.end = p.end
	}
	switch origin := (facts.Origin{File: e.file}); {
	case p.failed != nil:
		e.Noted.Incomplete(origin, "the file cannot be read on: %s", p.failed)
	case p.last && e.end == nil:
		e.Noted.Incomplete(origin, "the snapshot has no line {\"end\": …}: it was cut off; take it again")
	case p.last && (e.end.Accounts != e.accounts || e.end.Policies != e.policies):
		e.Noted.Incomplete(origin, "the snapshot's last line promises %d policies and %d accounts, and %d and %d stand in it; take "+
			"it again", e.end.Policies, e.end.Accounts, e.policies, e.accounts)
	}
	if p.last {
		e.accounts, e.end = 0, nil
	}
}
