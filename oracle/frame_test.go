package oracle

import (
	"bufio"
	"bytes"
	"encoding/json"
	"fmt"
	"math/rand/v2"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"sync"
	"testing"
	"time"

	"yewcone/cli"
	"yewcone/cli/tooltest"
	"yewcone/core/facts"
	"yewcone/intake/livetest"
)

func TestMain(m *testing.M) { tooltest.Main(m, cli.Main) }

// run runs the program in a folder.
func run(t *testing.T, folder, input string, args ...string) string {
	t.Helper()
	c := tooltest.Command(folder, args...)
	c.Stdin = strings.NewReader(input)
	var out, told bytes.Buffer
	c.Stdout, c.Stderr = &out, &told
	if err := c.Run(); err != nil && c.ProcessState.ExitCode() > 1 {
		t.Fatalf("%v: %v\n%s%s", args, err, out.String(), told.String())
	}
	return out.String()
}

// usualSeeds is how many scenarios of each family are made on each release.
const usualSeeds = 5

// A tally counts what was compared.
type tally struct {
	t                        *testing.T
	where                    string
	compared, wrong, unknown int
	late                     int // answers that came in another second than they were asked in
	kinds                    map[string][3]int
}

// setClock has a script set the clock of programs that began with one of their own, and
// end a line of answers, where this tells whether the second has passed.
const setClock = `clock() { ahead=$(( $1 * 1000000000 + 50000000 - $(LD_PRELOAD= date +%s%N) )); local n=$ahead sign=+; if [ $n -lt 0 ]; then sign=-; n=$(( -n )); fi
	printf "%s%d.%09d" $sign $(( n / 1000000000 )) $(( n % 1000000000 )) > /etc/faketimerc.new; mv /etc/faketimerc.new /etc/faketimerc; }
told() { [ $(( ($(LD_PRELOAD= date +%s%N) + ahead) / 1000000000 )) = $1 ] || echo -n " too late"; echo; }
`

// secondOf is the second that it is in a release.
func secondOf(r *livetest.Root) int64 {
	ahead, _ := time.ParseDuration(strings.TrimSpace(r.Read("etc/faketimerc")) + "s")
	return time.Now().Add(ahead).Unix()
}

// tooLate reports whether an answer came in another second than it was asked in, as on
// a busy machine some do.
func (c *tally) tooLate(line string) bool {
	late := strings.Contains(line, "too late")
	if late {
		c.late++
	}
	return late
}

// hold compares one statement about somebody with what the system did.
func (c *tally) hold(who, what string, said facts.Tri, did bool, more ...any) {
	c.t.Helper()
	counts := c.kinds[what]
	defer func() { c.kinds[what] = counts }()
	counts[0]++
	c.compared++
	if said == facts.Unknown {
		counts[1]++
		c.unknown++
		return
	}
	if said != facts.TriOf(did) {
		counts[2]++
		if c.wrong++; c.wrong <= 12 {
			c.t.Errorf("%s: %s: %s: we say %s, the system %v %v", c.where, who, what, said, did, more)
		}
	}
}

// add counts what another compared.
func (c *tally) add(other *tally) {
	c.compared, c.wrong, c.unknown, c.late = c.compared+other.compared, c.wrong+other.wrong, c.unknown+other.unknown, c.late+other.late
	for what, more := range other.kinds {
		sum := c.kinds[what]
		for i, n := range more {
			sum[i] += n
		}
		c.kinds[what] = sum
	}
}

func (c *tally) told() {
	c.t.Logf("%s: %d statements compared, %d wrong, %d unknown", c.where, c.compared, c.wrong, c.unknown)
	if c.late > 0 {
		c.t.Logf("  %d answers came too late to be compared", c.late)
	}
	for _, kind := range slices.Sorted(func(yield func(string) bool) {
		for k := range c.kinds {
			if !yield(k) {
				return
			}
		}
	}) {
		n := c.kinds[kind]
		c.t.Logf("  %s: %d compared, %d unknown, %d wrong", kind, n[0], n[1], n[2])
	}
}

// Whether the scenarios of a family may run at one time.
const (
	eachAlone = true
	oneByOne  = false // the test reaches servers from outside
)

// scenarios runs a test for each seed on each release, and tells the counts of
// all of them together.
func scenarios(t *testing.T, family, format string, alone bool, test func(t *testing.T, r *livetest.Root, random *rand.Rand,
	commands string, c *tally)) {
	livetest.Skip(t)
	all := map[string]*tally{}
	commands := how(t, format, ":\n")
	var counting sync.Mutex
	t.Run("on", func(t *testing.T) {
		for _, release := range livetest.Releases {
			sum := &tally{t: t, where: family + " on " + release, kinds: map[string][3]int{}}
			all[release] = sum
			t.Run(release, func(t *testing.T) {
				t.Parallel()
				for _, seed := range livetest.Seeds(usualSeeds) {
					if only := os.Getenv("YEWCONE_SEED"); only != "" && only != fmt.Sprint(seed) {
						continue
					}
					t.Run(fmt.Sprint(seed), func(t *testing.T) {
						if alone {
							t.Parallel()
						}
						r := livetest.Open(t, release)
						if alone {
							r.Alone()
						}
						c := &tally{t: t, where: fmt.Sprintf("%s, seed %d", release, seed), kinds: map[string][3]int{}}
						test(t, r, rand.New(rand.NewPCG(seed, 14)), commands, c)
						counting.Lock()
						defer counting.Unlock()
						sum.add(c)
					})
				}
			})
		}
	})
	for _, release := range livetest.Releases {
		all[release].t = t
		all[release].told()
	}
}

// An estate is an export with a folder of its own.
type estate struct {
	t      *testing.T
	folder string
}

// asked are the facts that the oracles compare.
var asked = []string{"enabled", "locked", "must_change", "overdue", "shut", "password_usable", "privileged", "blank",
	"locked_for_ever", "second_factor", "enters_unasked", "unasked_power", "never_expires", "password_is_login", "has_end"}

// newEstate copies an export into an estate.
func newEstate(t *testing.T, export, format string) *estate {
	t.Helper()
	return newEstateFrom(t, export, format)
}

// newEstateFrom is newEstate for an export of some files of a folder, or where
// none is given, of all of it.
func newEstateFrom(t *testing.T, export, format string, files ...string) *estate {
	t.Helper()
	from := "x"
	if len(files) > 0 {
		from = "[x/" + strings.Join(files, ", x/") + "]"
	}
	whole := ""
	if format == "samba" || format == "389-directory" { // taken as root, or as an administrator
		whole = ", view: whole"
	}
	e := &estate{t, t.TempDir()}
	if err := os.CopyFS(filepath.Join(e.folder, "x"), os.DirFS(export)); err != nil {
		t.Fatal(err)
	}
	rules := "rules: live\nclauses:\n"
	for _, fact := range asked {
		is := fact
		if fact == "has_end" {
			is = `(account_ends < date("9999-01-01"))`
		}
		rules += fmt.Sprintf("  - {id: yes-%s, forbid: '%[2]s'}\n  - {id: no-%[1]s, forbid: 'not %[2]s'}\n", fact, is)
	}
	e.write("rules/live.yaml", rules)
	e.write("estate.yaml", "estate: Live\nsystems:\n  live: {rules: live, export: {read: "+format+", from: "+from+whole+"}}\n")
	return e
}

func (e *estate) write(name, text string) {
	e.t.Helper()
	path := filepath.Join(e.folder, name)
	if err := os.MkdirAll(filepath.Dir(path), 0o755); err != nil {
		e.t.Fatal(err)
	}
	if err := os.WriteFile(path, []byte(text), 0o644); err != nil {
		e.t.Fatal(err)
	}
}

// facts are what the program says of each account at a moment: by login and
// fact.
func (e *estate) facts(at string) map[string]map[string]facts.Tri {
	e.t.Helper()
	args := []string{"check", "--fail-on", "critical", "--bear", "1000", "--format", "json", "--each", "each.jsonl"}
	if at != "" {
		args = append(args, "--as-of", at)
	}
	run(e.t, e.folder, "", args...)
	f, err := os.Open(filepath.Join(e.folder, "each.jsonl"))
	if err != nil {
		e.t.Fatal(err)
	}
	defer f.Close()
	out := map[string]map[string]facts.Tri{}
	for s := bufio.NewScanner(f); s.Scan(); {
		var line struct{ Login, Rule string }
		if err := json.Unmarshal(s.Bytes(), &line); err != nil {
			e.t.Fatal(err)
		}
		answer, fact, ok := strings.Cut(strings.TrimPrefix(line.Rule, "live/"), "-")
		if !ok || !strings.HasPrefix(line.Rule, "live/") {
			continue
		}
		if out[line.Login] == nil {
			out[line.Login] = map[string]facts.Tri{}
		}
		out[line.Login][fact] = facts.TriOf(answer == "yes")
	}
	return out
}

// verdicts holds candidates against what reaches an account, its present
// password first: yes where one would be accepted.
func (e *estate) verdicts(login, present string, candidates []string) []facts.Tri {
	e.t.Helper()
	out := run(e.t, e.folder, present+"\n"+strings.Join(candidates, "\n")+"\n", "try", "live", "--as", login, "--old", "--format", "json")
	var got struct {
		Candidates []struct {
			Results []struct{ Outcome string }
		}
	}
	if err := json.Unmarshal([]byte(out), &got); err != nil {
		e.t.Fatal(err)
	}
	if len(got.Candidates) != len(candidates) {
		e.t.Fatalf("%d candidates judged of %d", len(got.Candidates), len(candidates))
	}
	var said []facts.Tri
	for _, c := range got.Candidates {
		said = append(said, map[string]facts.Tri{"accepted": facts.Yes, "refused": facts.No}[c.Results[0].Outcome])
	}
	return said
}

// setting is what the program says of a setting of a policy, or where that is
// "", of the only one; "" where it does not know.
func (e *estate) setting(policy, name string) string {
	e.t.Helper()
	for line := range strings.Lines(run(e.t, e.folder, "", "intake", "live", "--format", "json")) {
		var read struct {
			Policy struct {
				Name     string
				Settings []struct{ Setting, Value string }
			}
		}
		if json.Unmarshal([]byte(line), &read) == nil && (policy == "" || read.Policy.Name == policy) {
			for _, s := range read.Policy.Settings {
				if s.Setting == name && s.Value != "unknown" {
					return s.Value
				}
			}
		}
	}
	return ""
}

// how returns the commands of a format: what stands after the first of each of
// the given texts, up to the next empty line.
func how(t *testing.T, format string, after ...string) string {
	t.Helper()
	text, there := run(t, t.TempDir(), "", "intake", "--how", format), false
	for _, mark := range after {
		if _, text, there = strings.Cut(text, mark); !there {
			t.Fatalf("intake --how %s has no %q", format, mark)
		}
	}
	text, _, _ = strings.Cut(text, "\n\n")
	return text + "\n"
}

// moment is how clocks and the program write a moment.
func moment(at time.Time) string { return at.UTC().Format(time.DateTime) }

// pick is one of several, at random.
func pick[T any](random *rand.Rand, all ...T) T { return all[random.IntN(len(all))] }

// invented makes candidates of any kind around a length, with words, names and
// runs in them.
func invented(random *rand.Rand, many, around int, words ...string) []string {
	const lower, upper, digits, symbols = "abcdefghijkmnopqrstuvwxyz", "ABCDEFGHJKLMNPQRSTUVWXYZ", "23456789", "!%+-_=.,;/"
	var out []string
	for len(out) < many {
		alphabet := pick(random, lower, lower+digits, lower+upper, lower+upper+digits, lower+upper+digits+symbols, digits, upper+symbols)
		var b strings.Builder
		for n := max(1, around-4+random.IntN(9)); b.Len() < n; {
			ch := string(alphabet[random.IntN(len(alphabet))])
			switch random.IntN(14) {
			case 0:
				ch = strings.Repeat(ch, 2+random.IntN(4))
			case 1:
				ch = pick(random, "abc", "abcde", "1234", "4321", "xyz", "fed")
			case 2:
				ch = pick(random, words...)
			}
			b.WriteString(ch)
		}
		out = append(out, b.String())
	}
	return out
}
