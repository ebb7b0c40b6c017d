package cli

import (
	"bytes"
	"fmt"
	"io/fs"
	"math/rand/v2"
	"os"
	"path/filepath"
	"runtime"
	"strings"
	"testing"

	"github.com/goccy/go-yaml"

	"yewcone/cli/tooltest"
	"yewcone/demo"
)

// inParts judges an estate in parts, in any order, two at a time.
func inParts(t *testing.T, folder string, of int) {
	t.Helper()
	for _, n := range rand.Perm(of) {
		out, err := tooltest.Command(folder, "check", "--part", fmt.Sprintf("%d/%d", n+1, of), "--into", "parts", "--jobs", fmt.Sprint(1+n%3)).CombinedOutput()
		if err != nil || !strings.HasPrefix(string(out), fmt.Sprintf("Part %d of %d is judged", n+1, of)) {
			t.Fatalf("%v: %s", err, out)
		}
	}
}

// TestParts: what is put together of parts is, byte for byte, what one run tells.
func TestParts(t *testing.T) {
	t.Parallel()
	folder := demoFolder(t)
	for _, of := range []int{1, 3, 17} {
		if err := os.RemoveAll(filepath.Join(folder, "parts")); err != nil {
			t.Fatal(err)
		}
		inParts(t, folder, of)
		ownersAlone(t, filepath.Join(folder, "parts"))
		for _, options := range []string{"", "--all", "--format json", "--format sarif", "--all --fail-on critical"} {
			line := append([]string{"check"}, strings.Fields(options)...)
			whole := tooltest.Command(folder, line...)
			want, err := whole.CombinedOutput()
			merged := tooltest.Command(folder, append(line, "--merge", "parts")...)
			got, err2 := merged.CombinedOutput()
			if !bytes.Equal(want, got) || fmt.Sprint(err) != fmt.Sprint(err2) {
				t.Errorf("%d parts, %s: %v and %v, %d and %d bytes: %.300s", of, options, err, err2, len(want), len(got), got)
			}
		}
	}
}

// job is an indexed Job of Kubernetes (batch/v1), with the fields that ours has.
type job struct {
	APIVersion string `yaml:"apiVersion"`
	Kind       string
	Metadata   struct{ Name string }
	Spec       struct {
		Completions, Parallelism int
		CompletionMode           string `yaml:"completionMode"`
		Template                 struct {
			Spec struct {
				RestartPolicy string `yaml:"restartPolicy"`
				Containers    []struct {
					Name, Image  string
					Command      []string
					VolumeMounts []struct {
						Name      string
						MountPath string `yaml:"mountPath"`
					} `yaml:"volumeMounts"`
				}
				Volumes []struct {
					Name                  string
					PersistentVolumeClaim struct {
						ClaimName string `yaml:"claimName"`
					} `yaml:"persistentVolumeClaim"`
				}
			}
		}
	}
}

// TestPartsAsDescribed: what docs/performance.md has each scheduler run makes parts
// that together are one run, whichever of them ran which part.
func TestPartsAsDescribed(t *testing.T) {
	t.Parallel()
	page, err := os.ReadFile("../docs/performance.md")
	if err != nil {
		t.Fatal(err)
	}
	block := func(after string) string { // of indented lines
		_, rest, _ := strings.Cut(string(page), after)
		_, rest, _ = strings.Cut(rest, "\n\n    ")
		rest, _, _ = strings.Cut(rest, "\n\n")
		return strings.ReplaceAll(rest, "\n    ", "\n")
	}
	var j job
	if err := yaml.UnmarshalWithOptions([]byte(block("As an indexed Job of Kubernetes")), &j, yaml.DisallowUnknownField()); err != nil {
		t.Fatal(err)
	}
	parts, pod := j.Spec.Completions, j.Spec.Template.Spec
	if j.APIVersion != "batch/v1" || j.Kind != "Job" || j.Spec.CompletionMode != "Indexed" || pod.RestartPolicy != "Never" ||
		len(pod.Containers) != 1 || len(pod.Volumes) != 1 || len(pod.Containers[0].VolumeMounts) != 1 ||
		pod.Containers[0].VolumeMounts[0].Name != pod.Volumes[0].Name {
		t.Fatalf("%+v", j)
	}
	array := block("As an array of Slurm")
	if !strings.Contains(array, fmt.Sprintf("#SBATCH --array=1-%d\n", parts)) {
		t.Errorf("not %d parts: %s", parts, array)
	}
	folder := t.TempDir()
	if err := demo.WriteEstate(filepath.Join(folder, "estate")); err != nil {
		t.Fatal(err)
	}
	for n := range parts {
		script, variable, at := array, "SLURM_ARRAY_TASK_ID", n+1
		if n%2 == 0 {
			command := pod.Containers[0].Command
			if len(command) != 3 || command[0] != "sh" || command[1] != "-c" {
				t.Fatal(command)
			}
			script, variable, at = command[2], "JOB_COMPLETION_INDEX", n // counted from 0
		}
		mounted := pod.Containers[0].VolumeMounts[0].MountPath + "/"
		c := tooltest.Shell(folder, strings.ReplaceAll(script, mounted, folder+"/"))
		c.Env = append(c.Env, fmt.Sprintf("%s=%d", variable, at))
		out, err := c.CombinedOutput()
		if err != nil || !strings.HasPrefix(string(out), fmt.Sprintf("Part %d of %d is judged", n+1, parts)) {
			t.Fatalf("%v: %s", err, out)
		}
	}
	want, _, code := runTool(t, folder, "check", "--estate", "estate")
	got, stderr, merged := runTool(t, folder, "check", "--estate", "estate", "--merge", "parts")
	if got != want || merged != code {
		t.Errorf("exit %d and %d, %d and %d bytes: %s", code, merged, len(want), len(got), stderr)
	}
}

// ownersAlone: what is in a folder can be read by its owner only.
func ownersAlone(t *testing.T, folder string) {
	t.Helper()
	if runtime.GOOS == "windows" {
		return
	}
	err := filepath.WalkDir(folder, func(name string, d fs.DirEntry, err error) error {
		if err != nil {
			return err
		}
		if info, err := d.Info(); err != nil || info.Mode().Perm()&0o077 != 0 {
			t.Errorf("%s: %v, %v", name, info.Mode(), err)
		}
		return nil
	})
	if err != nil {
		t.Error(err)
	}
}

// TestPartsRefused: what cannot be put together is told, with what to do.
func TestPartsRefused(t *testing.T) {
	t.Parallel()
	for _, c := range []struct {
		name, line, want string
		change           func(t *testing.T, folder string)
	}{
		{"one is missing", "", "of 3 parts 1 are missing in parts: 2", func(t *testing.T, folder string) { remove(t, folder, "parts/2-of-3.part") }},
		{"one is cut", "", "3-of-3.part: this is no share of a check, or not a whole one; judge it again", func(t *testing.T, folder string) {
			altered(t, folder, "parts/3-of-3.part", func(b []byte) []byte { return b[:len(b)/2] })
		}},
		{"a bit is another", "", "1-of-3.part: this is no share of a check, or not a whole one; judge it again", func(t *testing.T, folder string) {
			altered(t, folder, "parts/1-of-3.part", func(b []byte) []byte { b[len(b)/2] ^= 4; return b })
		}},
		{"one stands twice", "", "are the same part; take one away", func(t *testing.T, folder string) {
			b, err := os.ReadFile(filepath.Join(folder, "parts/3-of-3.part"))
			if err != nil {
				t.Fatal(err)
			}
			writeIn(t, folder, "parts/a.part", string(b))
		}},
		{"a rule is another", "", "was judged of another estate, with other options, on another day or by another version", func(t *testing.T, folder string) {
			altered(t, folder, "estate.yaml", func(b []byte) []byte { return append(b, "\n# later\n"...) })
		}},
		{"an export is longer", "", "was judged of another estate", func(t *testing.T, folder string) {
			altered(t, folder, "exports/tills/staff.csv", func(b []byte) []byte { return append(b, b[len(b)/2:]...) })
		}},
		{"other options", "--examples 2", "give --merge the options that --part had", nil},
		{"no key", "", "is no folder of parts: it has no key", func(t *testing.T, folder string) { remove(t, folder, "parts/key") }},
		{"half a key", "", "it has 3 bytes where 32 are expected; judge all parts again", func(t *testing.T, folder string) { writeIn(t, folder, "parts/key", "abc") }},
		{"each account", "--each all.ndjson", "--each and --finding name every account, which parts do not keep", nil},
		{"a page", "--format html", "--format html draws how old all passwords are, which parts do not keep", nil},
		{"both", "--part 1/3 --into parts", "--part judges a part and --merge puts parts together", nil},
	} {
		t.Run(c.name, func(t *testing.T) {
			t.Parallel()
			folder := t.TempDir()
			if err := demo.WriteEstate(folder); err != nil {
				t.Fatal(err)
			}
			inParts(t, folder, 3)
			if c.change != nil {
				c.change(t, folder)
			}
			refused(t, folder, "check --merge parts "+c.line, c.want)
		})
	}
	folder := demoFolder(t)
	for line, want := range map[string]string{
		"check --part 4/3 --into parts":       `--part is the number of a part and how many there are, such as 3/16, up to 10000; not "4/3"`,
		"check --part 0/3 --into parts":       `not "0/3"`,
		"check --part three --into p":         `not "three"`,
		"check --part 1/3":                    "--part and --into go together",
		"check --into parts":                  "--part and --into go together",
		"check --merge nowhere":               "nowhere is no folder of parts",
		"check --part 1/2 --into estate.yaml": "estate.yaml",
	} {
		refused(t, folder, line, want)
	}
}

func refused(t *testing.T, folder, line, want string) {
	t.Helper()
	c := tooltest.Command(folder, strings.Fields(line)...)
	out, _ := c.CombinedOutput()
	if c.ProcessState.ExitCode() != ExitUsage || !strings.Contains(string(out), want) {
		t.Errorf("%s: status %d, expected %q: %s", line, c.ProcessState.ExitCode(), want, out)
	}
}

func remove(t *testing.T, folder, name string) {
	t.Helper()
	if err := os.Remove(filepath.Join(folder, name)); err != nil {
		t.Fatal(err)
	}
}

func altered(t *testing.T, folder, name string, to func([]byte) []byte) {
	t.Helper()
	b, err := os.ReadFile(filepath.Join(folder, name))
	if err != nil {
		t.Fatal(err)
	}
	writeIn(t, folder, name, string(to(b)))
}
