package cli

import (
	"context"
	"fmt"
	"runtime"
	"runtime/debug"
	"strings"
	"time"

	"github.com/urfave/cli/v3"

	"yewcone/core/check"
)

func versionCommand() *cli.Command {
	return &cli.Command{
		Name:  "version",
		Usage: "tell the version, where it was built from, and what it knows of",
		Description: `Tells the version, the revision that it was built from, the compiler, and the mark of the catalogue:
two programs with the same mark know the same settings, checks and facts by the same names.

  yewcone version
  yewcone version > tool.txt     # to keep beside results`,
		Action: func(_ context.Context, c *cli.Command) error {
			w := c.Root().Writer
			fmt.Fprintln(w, "yewcone "+Version())
			if revision := builtFrom(); revision != "" {
				fmt.Fprintln(w, "revision   "+revision)
			}
			fmt.Fprintf(w, "built by   %s for %s/%s\n", runtime.Version(), runtime.GOOS, runtime.GOARCH)
			k := check.TheCatalogue()
			_, err := fmt.Fprintf(w, "catalogue  %s: %d settings, %d checks, %d facts\n", k.Mark, k.Settings, k.Checks, k.Facts)
			return err
		},
	}
}

// builtFrom is the revision that the program was built from, and when that was
// made; "" where it is not known.
func builtFrom() string {
	if stampRevision != "" {
		return stampRevision + " of " + stampDay
	}
	info, ok := debug.ReadBuildInfo()
	if !ok {
		return ""
	}
	known := map[string]string{}
	for _, s := range info.Settings {
		known[s.Key] = s.Value
	}
	revision := known["vcs.revision"]
	if len(revision) < 12 {
		return ""
	}
	text := revision[:12]
	if at, err := time.Parse(time.RFC3339, known["vcs.time"]); err == nil {
		text += " of " + at.UTC().Format(time.DateOnly)
	}
	if strings.EqualFold(known["vcs.modified"], "true") {
		text += ", with changes of its own"
	}
	return text
}
