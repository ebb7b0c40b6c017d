package workbook

import (
	"archive/zip"
	"encoding/xml"
	"errors"
	"fmt"
	"io"
	"strings"
	"yewcone/intake/text"
)

// whole reads a workbook from end to end before anything in it counts: each part
// by its checksum and as XML, and each that the list of contents names. The
// library that reads cells takes what is damaged for the end of a sheet.
func whole(path string) (err error) {
	archive, err := zip.OpenReader(path)
	if err != nil {
		return err
	}
	defer func() { err = errors.Join(err, archive.Close()) }()
	parts, total := map[string]bool{}, uint64(0)
	var listed []string
	for _, f := range archive.File {
		name := "/" + strings.TrimPrefix(strings.ReplaceAll(f.Name, "\\", "/"), "/")
		if parts[strings.ToLower(name)] {
			return fmt.Errorf("the part %s is there twice", name)
		}
		parts[strings.ToLower(name)] = true
		if total += f.UncompressedSize64; total > maxWorkbook {
			return fmt.Errorf("it unpacks to more than %d MB", maxWorkbook>>20)
		}
		names, err := readPart(f)
		if err != nil {
			return fmt.Errorf("the part %s is damaged: %w", name, err)
		}
		listed = append(listed, names...)
	}
	for _, name := range listed {
		if !parts[strings.ToLower(name)] {
			return fmt.Errorf("the part %s is missing, which its list of contents names", name)
		}
	}
	return nil
}

// contentTypes is the list of contents (ECMA-376, part 2).
const contentTypes = "[Content_Types].xml"

// readPart reads a part to its end, and returns the parts that it names where it
// is the list of contents.
func readPart(f *zip.File) (names []string, err error) {
	r, err := f.Open()
	if err != nil {
		return nil, err
	}
	defer func() { err = errors.Join(err, r.Close()) }()
	counted := &countedReader{r: r, left: f.UncompressedSize64}
	if !strings.HasSuffix(f.Name, ".xml") && !strings.HasSuffix(f.Name, ".rels") {
		_, err := io.Copy(io.Discard, counted)
		return nil, err
	}
	d := xml.NewDecoder(counted)
	d.CharsetReader = func(_ string, in io.Reader) (io.Reader, error) { return in, nil }
	for {
		token, err := d.Token()
		if errors.Is(err, io.EOF) {
			break
		}
		if err != nil {
			return nil, text.ToldXML(err)
		}
		if start, ok := token.(xml.StartElement); ok && f.Name == contentTypes && start.Name.Local == "Override" {
			for _, a := range start.Attr {
				if a.Name.Local == "PartName" {
					names = append(names, a.Value)
				}
			}
		}
	}
	_, err = io.Copy(io.Discard, counted) // its checksum is compared at the very end
	return names, err
}

// countedReader refuses more bytes than a part is said to have.
type countedReader struct {
	r    io.Reader
	left uint64
}

func (c *countedReader) Read(p []byte) (int, error) {
	n, err := c.r.Read(p)
	if uint64(n) > c.left {
		return 0, errors.New("it is longer than it says")
	}
	c.left -= uint64(n)
	return n, err
}
