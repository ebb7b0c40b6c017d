package cli

import (
	"bufio"
	"bytes"
	"cmp"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"slices"
	"strconv"
	"strings"
	"time"

	"github.com/urfave/cli/v3"

	"yewcone/core/drift"
	"yewcone/core/finding"
	"yewcone/core/record"
	"yewcone/core/rules"
	"yewcone/core/strictyaml"
	"yewcone/intake/estatefolder"
	"yewcone/intake/table"
	"yewcone/output"
	"yewcone/output/csvfile"
	"yewcone/output/html"
	"yewcone/output/jsonfile"
	"yewcone/output/markdown"
	"yewcone/output/text"
	"yewcone/output/workbook"
	"yewcone/store"
)

func keepCommand() *cli.Command {
	return &cli.Command{
		Name:      "keep",
		Usage:     "check the systems and keep the result, to be compared with later",
		ArgsUsage: "[options] [SYSTEM…]",
		Description: `Checks the systems and keeps what was found: findings, values with their places, what was
asked for, and the state of accounts, without stored passwords. It is kept in history.db of
the estate, a file of SQLite that only its owner may read, or in PostgreSQL for a team
("history" in estate.yaml). What is kept is kept whole, also where the machine ends in the middle.

  yewcone keep
  yewcone keep --as-of "2026-11-20 06:00"`,
		Flags: []cli.Flag{estateFlag(), asOfFlag(), maxRefusedFlag(), jobsFlag()},
		Action: func(ctx context.Context, c *cli.Command) error {
			o, rec, err := recorded(c, c.Args().Slice(), true)
			if err != nil {
				return err
			}
			defer rec.Close()
			s, err := historyOf(o.estate)
			if err != nil {
				return err
			}
			defer s.Close()
			id, err := s.Keep(ctx, rec, time.Now())
			if err != nil {
				return err
			}
			if _, err := fmt.Fprintf(c.Root().Writer, "Kept as result %d: %s. \"yewcone drift\" tells what changes from here on.\n", id,
				kept(rec)); err != nil {
				return err
			}
			if rec.Partial() {
				return status(ExitPartial)
			}
			return nil
		},
	}
}

func kept(r *record.Record) string {
	open := 0
	for i := range r.Findings {
		if r.Findings[i].Accepted == "" {
			open++
		}
	}
	return fmt.Sprintf("%d systems, %d findings, as of %s", len(r.Systems), open, r.AsOf.UTC().Format("2006-01-02 15:04"))
}

// recorded checks the systems and makes a record of it, with what changes ask for where
// asked.
func recorded(c *cli.Command, systems []string, asked bool) (*opened, *record.Record, error) {
	o, err := openEstate(c, systems)
	if err != nil {
		return nil, nil, err
	}
	result, err := o.audited(c)
	if err != nil {
		return nil, nil, err
	}
	rec, err := o.record(result, asked)
	return o, rec, err
}

// record makes a record of a result, with what it was judged from.
func (o *opened) record(result *finding.Result, asked bool) (*record.Record, error) {
	var changes []record.Asked
	if asked {
		changes = record.AskedBy(result) // first: the result may go before the accounts are read
	}
	options := o.options
	options.Relations = nil
	rec, err := record.Of(result, o.subjects, options, Version())
	if err != nil {
		return nil, err
	}
	rec.Asked = changes
	for i := range rec.Systems {
		rec.Systems[i].Sources = o.estate.Sources(rec.Systems[i].Name)
	}
	return rec, nil
}

// historyOf opens the store of an estate.
func historyOf(e *estatefolder.Estate) (*store.Store, error) {
	password, err := e.History.Password()
	if err != nil {
		return nil, err
	}
	return store.Open(e.History.Where, password)
}

func historyCommand() *cli.Command {
	return &cli.Command{
		Name:  "history",
		Usage: "list what was kept, write it down, or delete it",
		Description: `Lists the results that "yewcone keep" kept, the earliest exports first; --format jsonl writes
them down whole, one on each line, with the accounts. --delete-before deletes the results of
exports before a day, after asking for the day a second time.

  yewcone history
  yewcone history --format jsonl --out history.jsonl`,
		Flags: []cli.Flag{estateFlag(),
			&cli.StringFlag{Name: "format", Value: "text", Usage: "text, or jsonl with all that was kept"},
			&cli.StringFlag{Name: "delete-before", Usage: "delete the results of exports before a day, such as 2025-01-01"},
			outFlag(), colorFlag()},
		Action: func(ctx context.Context, c *cli.Command) error {
			if err := oneOf("format", c.String("format"), []string{"text", "jsonl"}); err != nil {
				return err
			}
			p, err := pastOf(ctx, c)
			if err != nil {
				return err
			}
			defer p.store.Close()
			if day := c.String("delete-before"); day != "" {
				return deleteBefore(ctx, c, p.store, day)
			}
			return show(c, func(w io.Writer, o output.Options) error {
				if c.String("format") == "jsonl" {
					return writeHistory(ctx, w, p)
				}
				return text.History(w, p.list, o)
			})
		},
	}
}

// writeHistory writes each result on a line, with its accounts.
func writeHistory(ctx context.Context, w io.Writer, p *past) error {
	out := bufio.NewWriterSize(w, 1<<16)
	var part bytes.Buffer
	e := json.NewEncoder(&part)
	e.SetEscapeHTML(false)
	var failed error
	put := func(before string, v any) {
		part.Reset()
		failed = errors.Join(failed, e.Encode(v))
		_, _ = out.WriteString(before)
		_, _ = out.Write(bytes.TrimSuffix(part.Bytes(), []byte("\n")))
	}
	for _, k := range p.list {
		r, err := p.store.Get(ctx, k.ID)
		if err != nil {
			return err
		}
		put(`{"id":`, k.ID)
		put(`,"kept_at":`, k.KeptAt)
		put(`,"record":`, r)
		_, _ = out.WriteString(`,"accounts":{`)
		before := ""
		for _, x := range slices.SortedFunc(slices.Values(r.Systems), func(a, b record.System) int { return strings.Compare(a.Name, b.Name) }) {
			people, err := x.AllPeople()
			if err != nil {
				return err
			}
			put(before, x.Name)
			put(":", people)
			before = ","
		}
		_, _ = out.WriteString("}}\n")
	}
	return errors.Join(failed, out.Flush())
}

func deleteBefore(ctx context.Context, c *cli.Command, s *store.Store, day string) error {
	at, err := strictyaml.ParseDate(day)
	if err != nil {
		return fmt.Errorf("--delete-before: %w", err)
	}
	w := c.Root().Writer
	if _, err := fmt.Fprintf(w, "Results of exports before %s go for good. Type the day once more: ", at.Format(time.DateOnly)); err != nil {
		return err
	}
	answer, _ := bufio.NewReader(c.Root().Reader).ReadString('\n')
	if strings.TrimSpace(answer) != at.Format(time.DateOnly) {
		return errors.New("nothing was deleted, since the day was not typed a second time")
	}
	n, err := s.Delete(ctx, at)
	if err != nil {
		return err
	}
	_, err = fmt.Fprintf(w, "%d deleted.\n", n)
	return err
}

func driftCommand() *cli.Command {
	return &cli.Command{
		Name:      "drift",
		Usage:     "tell what changed between two results, and whether what was asked for took effect",
		ArgsUsage: "[options] [FROM] [TO]",
		Description: `Holds a later result against an earlier one: findings that are new, worse, better, fixed or
came back, by severity, reach and value; every value that changed, those that nobody asked
for first; whether what changes asked for took effect; accounts that were made, went, were
switched off or became privileged, and marks on them. What was not looked at is never fixed.

FROM and TO are numbers of kept results, days (the latest result up to then), files that
"check --format json" wrote, folders of estates with other exports, or "now". Without them:
the latest kept result, and now.

  yewcone drift
  yewcone drift 2026-11-22 now --format json
  yewcone drift --fail-on high      # exit status 1 where something became worse`,
		Flags: []cli.Flag{estateFlag(), asOfFlag(),
			&cli.StringFlag{Name: "format", Value: "text", Usage: "text, json, csv, markdown, html or xlsx"},
			&cli.StringFlag{Name: "fail-on", Value: "low", Usage: "the least severity of what became worse that makes the exit status 1"},
			&cli.BoolFlag{Name: "all", Usage: "what is the same, and every name, too"},
			outFlag(), maxRefusedFlag(), jobsFlag(), colorFlag()},
		Action: func(ctx context.Context, c *cli.Command) error {
			format := c.String("format")
			if err := oneOf("format", format, []string{"text", "json", "csv", "markdown", "html", "xlsx"}); err != nil {
				return err
			}
			threshold, err := rules.ParseSeverity(c.String("fail-on"))
			if err != nil {
				return fmt.Errorf("--fail-on: %w", err)
			}
			if c.Args().Len() > 2 {
				return errors.New("drift takes two results at most: FROM and TO")
			}
			d, err := driftOf(ctx, c)
			if err != nil {
				return err
			}
			err = show(c, func(w io.Writer, o output.Options) error {
				o.All = c.Bool("all")
				switch format {
				case "json":
					return jsonfile.Drift(w, d, o)
				case "csv":
					return csvfile.Drift(w, d)
				case "markdown":
					return markdown.Drift(w, d, o)
				case "html":
					return html.Drift(w, d, o)
				case "xlsx":
					return workbook.Drift(w, d, o)
				}
				return text.Drift(w, d, o)
			})
			switch {
			case err != nil:
				return err
			case d.After.Partial():
				return status(ExitPartial)
			case d.Worst() >= threshold && d.Worst() > 0:
				return status(ExitFindings)
			}
			return nil
		},
	}
}

// A point is a result that drift is told of, with its place in the history.
type point struct {
	at     int                                      // in the list of the store; -1 for others
	check  func(asked bool) (*record.Record, error) // of an estate as it is; nil for others
	record *record.Record                           // nil before it is loaded, but for that of a file
}

// load brings a point its record, with what changes ask for where asked.
func (p *past) load(ctx context.Context, x *point, asked bool) (err error) {
	switch {
	case x.check != nil:
		x.record, err = x.check(asked)
	case x.at >= 0:
		x.record, err = p.store.Get(ctx, p.list[x.at].ID)
	}
	return err
}

func driftOf(ctx context.Context, c *cli.Command) (*drift.Drift, error) {
	p, err := pastOf(ctx, c)
	if err != nil {
		return nil, err
	}
	defer p.store.Close()
	from, to := c.Args().Get(0), cmp.Or(c.Args().Get(1), "now")
	if from == "" {
		if len(p.list) == 0 {
			return nil, errors.New("nothing is kept yet: \"yewcone keep\" keeps a result to compare with")
		}
		from = strconv.FormatInt(p.list[len(p.list)-1].ID, 10)
	}
	before, err := p.point(c, from)
	if err != nil {
		return nil, err
	}
	after, err := p.point(c, to)
	if err != nil {
		return nil, err
	}
	first, second := before, after
	if after.check != nil { // a check takes more memory while it runs than what comes of it
		first, second = after, before
	}
	for _, x := range []*point{first, second} {
		if err := p.load(ctx, x, x == before); err != nil {
			return nil, err
		}
		defer x.record.Close()
	}
	return drift.Between(before.record, after.record, p.seen(ctx, before.at))
}

// A past is what an estate keeps.
type past struct {
	estate *estatefolder.Estate
	store  *store.Store
	list   []store.Kept
}

// pastOf opens what the estate keeps.
func pastOf(ctx context.Context, c *cli.Command) (*past, error) {
	folder, err := estatefolder.Find(c.String("estate"))
	if err != nil {
		return nil, err
	}
	e, err := loadEstate(c, folder)
	if err != nil {
		return nil, err
	}
	s, err := historyOf(e)
	if err != nil {
		return nil, err
	}
	list, err := s.List(ctx)
	if err != nil {
		s.Close()
		return nil, err
	}
	allowSystems(len(e.Systems))
	return &past{e, s, list}, nil
}

// seen tells when a finding was last there before a place in the list. Results are
// read once, as far back as it takes.
func (p *past) seen(ctx context.Context, before int) func(key string) (string, bool) {
	last, next := map[string]string{}, before-1
	return func(key string) (string, bool) {
		for last[key] == "" && next >= 0 {
			r, err := p.store.Record(ctx, p.list[next].ID)
			if err != nil {
				return "", false
			}
			for k := range drift.Keys(r) {
				if last[k] == "" {
					last[k] = p.list[next].AsOf[:len(time.DateOnly)]
				}
			}
			next--
		}
		return last[key], last[key] != ""
	}
}

// resultFile reads a result that "check --format json" wrote; false where no
// file has that name.
func resultFile(name string) (*record.Record, bool, error) {
	if digits(name) {
		return nil, false, nil
	}
	f, err := os.Open(name)
	if err != nil {
		return nil, false, nil
	}
	defer f.Close()
	rec, err := jsonfile.ReadRecord(f)
	if err != nil {
		return nil, true, fmt.Errorf("%s: %w", table.Shown(filepath.Base(name)), err)
	}
	return rec, true, nil
}

// point finds a result by its number, a day, a file, or as it is now.
func (p *past) point(c *cli.Command, name string) (*point, error) {
	if name == "now" {
		return &point{at: -1, check: func(asked bool) (*record.Record, error) {
			_, rec, err := recorded(c, nil, asked)
			return rec, err
		}}, nil
	}
	if info, err := os.Stat(name); err == nil && info.IsDir() { // other exports, in an estate of their own
		return &point{at: -1, check: func(asked bool) (*record.Record, error) {
			o, err := openEstateIn(c, name, nil, time.Time{})
			if err != nil {
				return nil, err
			}
			result, err := o.audited(c)
			if err != nil {
				return nil, err
			}
			return o.record(result, asked)
		}}, nil
	}
	if rec, there, err := resultFile(name); there {
		return &point{at: -1, record: rec}, err
	}
	at := -1
	if digits(name) {
		at = slices.IndexFunc(p.list, func(k store.Kept) bool { return strconv.FormatInt(k.ID, 10) == name })
	} else if day, err := strictyaml.ParseDate(name); err == nil {
		limit := day.UTC().Format("2006-01-02T15:04:05Z")
		if len(name) == len(time.DateOnly) {
			limit = day.UTC().AddDate(0, 0, 1).Format("2006-01-02T15:04:05Z")
		}
		for i := range p.list {
			if p.list[i].AsOf < limit {
				at = i
			}
		}
	}
	if at < 0 {
		return nil, fmt.Errorf("%s is neither a kept result, nor a day up to which there is one, nor a file, nor a folder, nor \"now\"; \"yewcone history\" lists %d",
			table.Shown(name), len(p.list))
	}
	return &point{at: at}, nil
}

func digits(text string) bool { return text != "" && strings.Trim(text, "0123456789") == "" }
