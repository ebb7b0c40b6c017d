package cli

import (
	"crypto/rand"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"os"
	"path/filepath"
	"slices"
	"strconv"
	"strings"
	"time"

	"github.com/urfave/cli/v3"

	"yewcone/core/audit"
	"yewcone/core/finding"
	"yewcone/core/hashes"
	"yewcone/output/atomicfile"
)

// keyName is the file of a folder of parts with the key of their hashes.
const keyName = "key"

func partFlags() []cli.Flag {
	return []cli.Flag{
		&cli.StringFlag{Name: "part", Usage: "judge only this part of every large export, such as 3/16, and keep what came of it with --into"},
		&cli.StringFlag{Name: "into", Usage: "the folder that parts are kept in", TakesFile: true},
		&cli.StringFlag{Name: "merge", Usage: "put the parts in this folder together, as if all had been judged at once", TakesFile: true},
	}
}

// partsRefused says which options do not go with parts; nil where all do.
func partsRefused(c *cli.Command, spread bool) error {
	part, into, merge := c.String("part"), c.String("into"), c.String("merge")
	switch {
	case part != "" && merge != "":
		return errors.New("--part judges a part and --merge puts parts together; leave one of them out")
	case (part != "") != (into != ""):
		return errors.New("--part and --into go together: which part, such as --part 3/16, and the folder that it is kept in")
	case part == "" && merge == "":
		return nil
	case c.String("each") != "" || c.String("finding") != "":
		return errors.New("--each and --finding name every account, which parts do not keep; leave them out, or --part and --merge")
	case spread:
		return fmt.Errorf("--format %s draws how old all passwords are, which parts do not keep; take another format", c.String("format"))
	}
	return nil
}

// share reads which part of how many is asked for.
func share(text string) (audit.Share, error) {
	first, second, _ := strings.Cut(text, "/")
	number, err := strconv.Atoi(first)
	of, err2 := strconv.Atoi(second)
	if err != nil || err2 != nil || number < 1 || number > of || of > mostParts {
		return audit.Share{}, fmt.Errorf("--part is the number of a part and how many there are, such as 3/16, up to %d; not %q", mostParts, text)
	}
	return audit.Share{Number: number, Of: of}, nil
}

const mostParts = 10000

func partFile(folder string, s audit.Share) string {
	return filepath.Join(folder, fmt.Sprintf("%d-of-%d.part", s.Number, s.Of))
}

// shareHashes makes the hashes of this run those of all parts in a folder. Whoever comes
// first makes the key.
func shareHashes(folder string, make bool) error {
	path := filepath.Join(folder, keyName)
	if make {
		if err := os.MkdirAll(folder, 0o700); err != nil {
			return err
		}
		if _, err := os.Lstat(path); errors.Is(err, fs.ErrNotExist) {
			if err := newKey(folder, path); err != nil {
				return err
			}
		}
	}
	key, err := os.ReadFile(path)
	switch {
	case errors.Is(err, fs.ErrNotExist):
		return fmt.Errorf("%s is no folder of parts: it has no key; \"yewcone check --part 1/2 --into %s\" begins one", folder, folder)
	case err != nil:
		return err
	case len(key) != keySize:
		return fmt.Errorf("%s is not the key that parts share: it has %d bytes where %d are expected; judge all parts again, into a new folder",
			path, len(key), keySize)
	}
	hashes.Share(key)
	return nil
}

const keySize = 32

// newKey makes a key and gives it its name, where no other did so before.
func newKey(folder, path string) (err error) {
	f, err := os.CreateTemp(folder, "."+keyName+"-*")
	if err != nil {
		return err
	}
	defer func() { err = errors.Join(err, os.Remove(f.Name())) }()
	key := make([]byte, keySize)
	_, _ = rand.Read(key) // which never fails
	_, err = f.Write(key)
	if err = errors.Join(err, f.Close()); err != nil {
		return err
	}
	if err := os.Link(f.Name(), path); err != nil && !errors.Is(err, fs.ErrExist) {
		return fmt.Errorf("the key of the parts cannot be made: %w", err)
	}
	return nil
}

// asked tells what parts that are put together must have in common.
func (o *opened) asked(c *cli.Command) (string, error) {
	estate, err := o.estate.Identity(c.Args().Slice())
	if err != nil {
		return "", err
	}
	text, err := json.Marshal(struct {
		Version, Estate, AsOf, Rules string
		Systems                      []string
		Day                          string // on which rules with steps ask what they do
		Examples, Bear               int
	}{Version(), estate, c.String("as-of"), asIfAgain(c), c.Args().Slice(), o.options.Now.Format(time.DateOnly), o.options.Examples, o.options.MaxRefused})
	return string(text), err
}

// judgePart judges a part and keeps what came of it.
func judgePart(c *cli.Command) error {
	s, err := share(c.String("part"))
	if err != nil {
		return err
	}
	folder := c.String("into")
	if err := shareHashes(folder, true); err != nil {
		return err
	}
	o, err := openEstate(c, c.Args().Slice())
	if err != nil {
		return err
	}
	if err := o.asIf(c); err != nil {
		return err
	}
	o.options.Examples = int(c.Int("examples"))
	of, err := o.asked(c)
	if err != nil {
		return err
	}
	done := watch(c.Root().ErrWriter, &o.options)
	path := partFile(folder, s)
	err = audit.RunShare(o.subjects, o.options, s, of, func(p *audit.Portion) error {
		return atomicfile.Write(path, p.Write)
	})
	if done(); err != nil {
		return err
	}
	_, err = fmt.Fprintf(c.Root().Writer, "Part %d of %d is judged, and kept in %s. Once all are: yewcone check --merge %s\n", s.Number, s.Of, path, folder)
	return err
}

// mergeParts puts the parts of a folder together.
func mergeParts(c *cli.Command) (_ *finding.Result, err error) {
	folder := c.String("merge")
	if err := shareHashes(folder, false); err != nil {
		return nil, err
	}
	o, err := openEstate(c, c.Args().Slice())
	if err != nil {
		return nil, err
	}
	if err := o.asIf(c); err != nil {
		return nil, err
	}
	o.options.Examples = int(c.Int("examples"))
	of, err := o.asked(c)
	if err != nil {
		return nil, err
	}
	files, err := o.openParts(folder, of)
	defer func() {
		for _, f := range files {
			err = errors.Join(err, f.Close())
		}
	}()
	if err != nil {
		return nil, err
	}
	return o.audited(c)
}

// openParts opens the parts of a folder, which must be all that belong together.
func (o *opened) openParts(folder, of string) (files []io.Closer, err error) {
	names, err := filepath.Glob(filepath.Join(escaped(folder), "*.part"))
	if err != nil {
		return nil, err
	}
	slices.Sort(names)
	parts, there := 0, map[int]string{}
	for _, name := range names {
		f, err := os.Open(name)
		if err != nil {
			return files, err
		}
		files = append(files, f)
		info, err := f.Stat()
		if err != nil {
			return files, err
		}
		p, err := audit.OpenPortion(f, info.Size())
		switch {
		case err != nil:
			return files, fmt.Errorf("%s: %w; judge it again", name, err)
		case parts != 0 && parts != p.Share().Of:
			return files, fmt.Errorf("%s is one of %d parts, where others here are of %d; keep each division in a folder of its own", name, p.Share().Of, parts)
		case there[p.Share().Number] != "":
			return files, fmt.Errorf("%s and %s are the same part; take one away", there[p.Share().Number], name)
		case p.Of() != of:
			return files, fmt.Errorf("%s was judged of another estate, with other options, on another day or by another version: judge all parts again, "+
				"and give --merge the options that --part had", name)
		}
		parts, there[p.Share().Number] = p.Share().Of, name
		o.options.Portions = append(o.options.Portions, p)
	}
	var missing []string
	for n := 1; n <= parts; n++ {
		if there[n] == "" {
			missing = append(missing, strconv.Itoa(n))
		}
	}
	switch {
	case parts == 0:
		return files, fmt.Errorf("%s has no part; \"yewcone check --part 1/2 --into %s\" judges the first of two", folder, folder)
	case len(missing) > 0:
		return files, fmt.Errorf("of %d parts %d are missing in %s: %s", parts, len(missing), folder, strings.Join(missing[:min(len(missing), 20)], ", "))
	}
	return files, nil
}

// escaped is a path in which no character stands for others.
func escaped(path string) string {
	return strings.NewReplacer("*", "[*]", "?", "[?]", "[", "[[]").Replace(path)
}
