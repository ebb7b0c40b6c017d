package cli

import (
	"fmt"
	"io"
	"os"
	"sync"
	"sync/atomic"
	"time"

	"github.com/urfave/cli/v3"
	"golang.org/x/term"

	"yewcone/core/audit"
	"yewcone/core/finding"
	"yewcone/output"
)

// quiet is how long something may take before it is told how far it is.
const quiet = time.Second

// audited checks the systems, and tells at a terminal how far it is.
func (o *opened) audited(c *cli.Command) (*finding.Result, error) {
	defer watch(c.Root().ErrWriter, &o.options)()
	return audit.Run(o.estate.Name, o.subjects, o.options)
}

// watch counts accounts and sign-ins on standard error, where that is a terminal, once it
// takes longer than a second. The function it returns ends that, and takes the
// line away.
func watch(stderr io.Writer, o *audit.Options) (stop func()) {
	f, isFile := stderr.(*os.File)
	if !isFile || !term.IsTerminal(int(f.Fd())) {
		return func() {}
	}
	o.Progress, o.SignIns = &atomic.Int64{}, &atomic.Int64{}
	ended, gone := make(chan struct{}), sync.WaitGroup{}
	gone.Add(1)
	go func() {
		defer gone.Done()
		tell := time.NewTimer(quiet)
		defer tell.Stop()
		shown := false
		for {
			select {
			case <-ended:
				if shown {
					fmt.Fprint(f, "\r\x1b[K")
				}
				return
			case <-tell.C:
				shown = true
				signIns := ""
				if n := o.SignIns.Load(); n > 0 {
					signIns = fmt.Sprintf(" and %s sign-ins", output.Count(float64(n), true))
				}
				fmt.Fprintf(f, "\r\x1b[K%s accounts%s read …", output.Count(float64(o.Progress.Load()), true), signIns)
				tell.Reset(quiet / 4)
			}
		}
	}()
	return func() { close(ended); gone.Wait() }
}
