package cli

import (
	"go/ast"
	"go/parser"
	"go/token"
	"io/fs"
	"os"
	"path/filepath"
	"regexp"
	"strings"
	"testing"
)

// sources calls do with each file of the program.
func sources(t *testing.T, do func(path string, file *ast.File)) {
	t.Helper()
	err := fs.WalkDir(os.DirFS(".."), ".", func(path string, d fs.DirEntry, err error) error {
		if err != nil || d.IsDir() || !strings.HasSuffix(path, ".go") {
			return err
		}
		file, err := parser.ParseFile(token.NewFileSet(), filepath.Join("..", path), nil, parser.SkipObjectResolution)
		if err == nil {
			do(path, file)
		}
		return err
	})
	if err != nil {
		t.Fatal(err)
	}
}

// TestNoNetwork: no package of the program can open a connection, but those that take
// exports and the one that keeps results in PostgreSQL.
func TestNoNetwork(t *testing.T) {
	t.Parallel()
	reaches := regexp.MustCompile(`^(net|net/(http|smtp|rpc|textproto).*|crypto/tls|syscall|golang\.org/x/(net|sys).*|.*(pgx|go-sql-driver|clickhouse-go).*)$`)
	mayReach := map[string]bool{"store": true}
	seen := 0
	sources(t, func(path string, file *ast.File) {
		if strings.HasSuffix(path, "_test.go") || strings.HasPrefix(path, "intake/livetest/") || strings.HasPrefix(path, "bench/") {
			return
		}
		for _, i := range file.Imports {
			name := strings.Trim(i.Path.Value, `"`)
			ours := name == "syscall" && (strings.HasPrefix(path, "cli/") || path == "output/atomicfile/use_windows.go") ||
				name == "golang.org/x/net/html" || name == "golang.org/x/sys/cpu" // signals and errors by their numbers; a parser; what the processor can do
			if seen++; reaches.MatchString(name) && !ours && !mayReach[filepath.Dir(path)] && !strings.HasPrefix(path, "take/") {
				t.Errorf("%s imports %s", path, name)
			}
		}
	})
	if seen < 500 {
		t.Errorf("only %d imports were seen", seen)
	}
}

// TestPromisesAreHeld: each test that the security notes name is there.
func TestPromisesAreHeld(t *testing.T) {
	t.Parallel()
	there := map[string]bool{}
	sources(t, func(path string, file *ast.File) {
		for _, d := range file.Decls {
			if f, ok := d.(*ast.FuncDecl); ok && strings.HasSuffix(path, "_test.go") {
				there[f.Name.Name] = true
			}
		}
	})
	data, err := os.ReadFile("../docs/security.md")
	if err != nil {
		t.Fatal(err)
	}
	named := regexp.MustCompile("`((?:Test|Fuzz)\\w+)`").FindAllStringSubmatch(string(data), -1)
	for _, m := range named {
		if !there[m[1]] {
			t.Errorf("docs/security.md names %s, which is not there", m[1])
		}
	}
	if len(named) < 20 {
		t.Errorf("only %d tests are named", len(named))
	}
}
