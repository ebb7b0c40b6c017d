package jsonfile

import (
	"io"
	"time"

	"yewcone/core/replay"
	"yewcone/output"
)

// ReplayVersion changes when a reader of an older version would go wrong.
const ReplayVersion = 1

type replayDocument struct {
	Format     string         `json:"format"`
	Version    int            `json:"version"`
	Tool       string         `json:"tool"`
	System     string         `json:"system"`
	From       *string        `json:"from"`
	To         *string        `json:"to"`
	Signins    int64          `json:"signins"`
	Wrong      int            `json:"wrong"`
	Right      int            `json:"right"`
	ByKey      int            `json:"without_password"`
	OutOfOrder int64          `json:"out_of_order"`
	Refused    int            `json:"refused"`
	Lockouts   []replayColumn `json:"lockouts"`
	Hours      []replayHour   `json:"hours"` // in which anything was
}

type replayColumn struct {
	Lockout      string   `json:"lockout"`
	Accounts     int      `json:"accounts"`
	Privileged   int      `json:"privileged"`
	Programs     int      `json:"programs"`
	NotKnown     int      `json:"not_known"`
	Locks        int      `json:"locks"`
	Hours        float64  `json:"hours"`
	OfPrograms   float64  `json:"hours_of_programs"`
	RefusedRight int      `json:"right_refused"`
	Through      int      `json:"wrong_let_through"`
	RefusedWrong int      `json:"wrong_refused"`
	Slowed       int      `json:"wrong_slowed"`
	Shut         int      `json:"sources_shut"`
	ShutRight    int      `json:"right_refused_by_source"`
	ShutWrong    int      `json:"wrong_refused_by_source"`
	LimitKnown   bool     `json:"source_limit_known"`
	Beyond       bool     `json:"beyond"`
	Against      []string `json:"against"`
}

type replayHour struct {
	Hour  *string `json:"hour"`
	Wrong int     `json:"wrong"`
	Right int     `json:"right"`
	Locks []int   `json:"locks"` // by the lockouts
}

type replayAccount struct {
	Account      string        `json:"account"`
	What         string        `json:"what,omitempty"`
	Wrong        int           `json:"wrong"`
	Right        int           `json:"right"`
	Sources      int           `json:"sources"`
	SourcesLetIn int           `json:"sources_let_in"`
	Most         [3]int        `json:"most_in_10_30_60_minutes"`
	Under        []replayUnder `json:"under"`
}

type replayUnder struct {
	Known        bool    `json:"known"`
	Locks        int     `json:"locks"`
	First        *string `json:"first_locked,omitempty"`
	Seconds      int64   `json:"seconds_locked"`
	Through      int     `json:"wrong_let_through"`
	RefusedWrong int     `json:"wrong_refused"`
	RefusedRight int     `json:"right_refused"`
}

type replaySource struct {
	Source string `json:"source"`
	Wrong  int    `json:"wrong"`
	Right  int    `json:"right"`
	InVain int    `json:"names_tried_in_vain"`
	Most   [3]int `json:"most_in_10_30_60_minutes"`
}

// Replay writes what lockouts would have done.
func Replay(w io.Writer, r *replay.Result, o output.Options) error {
	d := replayDocument{Format: "yewcone replay", Version: ReplayVersion, Tool: o.Version, System: r.System, From: instant(r.From), To: instant(r.To),
		Signins: r.Events, Wrong: r.Failed, Right: r.LetIn, ByKey: r.ByKey, OutOfOrder: r.OutOfOrder, Refused: r.Refused, Lockouts: []replayColumn{}, Hours: []replayHour{}}
	for _, c := range r.Columns {
		d.Lockouts = append(
			d.Lockouts,
			replayColumn{c.Title, c.Accounts, c.Privileged, c.Programs, c.NotKnown, c.Locks, c.Hours, c.HoursPrograms, c.RefusedRight, c.Through, c.RefusedWrong,
				c.Slowed, c.Shut, c.ShutRight, c.ShutWrong, !c.NoLimitKnown, c.Beyond, append([]string{}, c.Against...)},
		)
	}
	for _, h := range r.Hours {
		d.Hours = append(d.Hours, replayHour{instant(time.UnixMicro(h.Start).UTC()), h.Wrong, h.Right, append([]int{}, h.Locks...)})
	}
	out := streamed{w: w}
	out.begin(d)
	for a := range r.Accounts() {
		out.add("accounts", replayAccountOf(a))
	}
	out.end("accounts")
	for s := range r.Sources() {
		out.add("sources", replaySource{s.Name, s.Failures, s.LetIn, s.InVain, s.Peaks})
	}
	out.end("sources")
	return out.close()
}

func replayAccountOf(a *replay.Account) replayAccount {
	part := replayAccount{
		Account:      a.Shown(),
		What:         a.Who.Words(),
		Wrong:        a.Failures,
		Right:        a.LetIn,
		Sources:      a.Sources,
		SourcesLetIn: a.SourcesLetIn,
		Most:         a.Peaks,
		Under:        []replayUnder{},
	}
	for _, u := range a.Under {
		var first *string
		if u.First != 0 {
			first = instant(time.UnixMicro(u.First).UTC())
		}
		part.Under = append(part.Under, replayUnder{u.Known && a.Who.Known, u.Locks, first, u.Locked, u.Through, u.RefusedWrong, u.RefusedRight})
	}
	return part
}
