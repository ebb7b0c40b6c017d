package estatefolder

import (
	"yewcone/core/facts"
	"yewcone/core/setting"

	"bytes"
	"context"
	"errors"
	"fmt"
	"os"
	"os/exec"
	"path"
	"path/filepath"
	"strings"
	"time"

	"yewcone/core/rules"
)

// LoadRules reads the systems and the rule sets of a folder, and nothing else of
// its estate: of a former version the exports, mappings and lists may be gone.
func LoadRules(folder string) (*Estate, error) { return loadFolder(folder, true) }

// rulesOnly reads of a system what LoadRules is about.
func (l *loader) rulesOnly(e *Estate, name string, f *systemFile, asOf time.Time) System {
	s := System{Name: name}
	s.Request.System, s.Request.Title, s.Request.Labels = name, f.Title, f.Labels
	s.Request.AsOf, _ = l.date(f.AsOf, asOf, "")
	l.chosenRules(e, &s, f.Rules)
	return s
}

// timeForGit is how long a repository is waited for.
const timeForGit = 30 * time.Second

// LoadRevision reads the systems and the rule sets of a former revision of the
// estate, where its folder lies in a git repository. It asks git for the files as
// they were kept, which runs nothing of the repository.
func LoadRevision(folder, revision string) (*Estate, error) {
	if strings.HasPrefix(revision, "-") {
		return nil, fmt.Errorf("%q is no revision", revision)
	}
	ctx, cancel := context.WithTimeout(context.Background(), timeForGit)
	defer cancel()
	git := func(args ...string) ([]byte, error) {
		var out, problem bytes.Buffer
		cmd := exec.CommandContext(ctx, "git", append([]string{"-C", folder}, args...)...)
		cmd.Stdout, cmd.Stderr = &out, &problem
		err := cmd.Run()
		switch {
		case errors.Is(err, exec.ErrNotFound):
			return nil, fmt.Errorf("git is not installed here; name a folder with the former estate instead")
		case err != nil:
			first, _, _ := strings.Cut(strings.TrimSpace(problem.String()), "\n")
			return nil, fmt.Errorf("git knows no such revision of this estate: %s", first)
		}
		return out.Bytes(), nil
	}
	names, err := git("ls-tree", "--name-only", revision, "--", "rules/")
	if err != nil {
		return nil, err
	}
	former, err := os.MkdirTemp("", "yewcone")
	if err != nil {
		return nil, err
	}
	defer os.RemoveAll(former)
	if err := os.Mkdir(filepath.Join(former, "rules"), 0o700); err != nil {
		return nil, err
	}
	for _, name := range append(strings.Fields(string(names)), FileName) {
		if name != FileName && path.Ext(name) != ".yaml" {
			continue
		}
		data, err := git("cat-file", "blob", revision+":./"+name)
		if err != nil {
			return nil, err
		}
		if err := os.WriteFile(filepath.Join(former, filepath.FromSlash(name)), data, 0o600); err != nil {
			return nil, err
		}
	}
	return LoadRules(former)
}

// RuleSystems are the systems with their rule sets, without their exports.
func (e *Estate) RuleSystems() []RuleSystem {
	var list []RuleSystem
	for i := range e.Systems {
		s := &e.Systems[i]
		list = append(list, RuleSystem{s.Name, s.Request.Title, s.Request.Labels, s.Rules, s.Request.AsOf, s.limits})
	}
	return list
}

// A RuleSystem is what rules know of a system.
type RuleSystem struct {
	Name, Title string
	Labels      []string
	Rules       []*rules.Set
	AsOf        time.Time // that the estate file says; zero where it says none
	Limits      map[setting.ID]facts.Limit
}
