package cli

import (
	"context"

	"github.com/urfave/cli/v3"

	"yewcone/intake"
	"yewcone/intake/estatefolder"
	"yewcone/take"
	"yewcone/take/protocols"
)

// loadEstate loads an estate, of which databases can be asked that its systems name.
func loadEstate(c *cli.Command, folder string) (*estatefolder.Estate, error) {
	e, err := estatefolder.Load(folder)
	if err != nil {
		return nil, err
	}
	jobs := map[string]*take.Job{} // so that a password is asked for once
	for i := range e.Systems {
		if s := &e.Systems[i]; s.Source != nil {
			jobs[s.Name] = take.NewJob(s.Source, func() (string, error) { return askSecret(c.Root().ErrWriter, s.Name, s.Source) })
		}
	}
	e.Connect = func(s *estatefolder.System) (intake.Database, error) {
		ctx, cancel := context.WithTimeout(context.Background(), s.Source.Patience)
		d, err := protocols.Databases[s.Source.Ask](ctx, jobs[s.Name])
		if err != nil {
			cancel()
			return nil, err
		}
		return patient{d, cancel}, nil
	}
	return e, nil
}

// patient is a database that is asked no longer than its source says.
type patient struct {
	intake.Database
	cancel func()
}

func (p patient) Close() {
	p.Database.Close()
	p.cancel()
}
