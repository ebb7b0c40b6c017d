package main

import (
	"bytes"
	"compress/gzip"
	"debug/buildinfo"
	"fmt"
	"os"
	"path"
	"path/filepath"
	"slices"
	"strings"

	"github.com/CycloneDX/cyclonedx-go"
	"github.com/goreleaser/nfpm/v2"
	_ "github.com/goreleaser/nfpm/v2/deb" // registers the format
	"github.com/goreleaser/nfpm/v2/files"
	_ "github.com/goreleaser/nfpm/v2/rpm"
)

// withMaterials adds the bill of materials of a program, from what the compiler wrote
// into it.
func withMaterials(r *revision, list []entry, program string) ([]entry, error) {
	info, err := buildinfo.ReadFile(program)
	if err != nil {
		return nil, err
	}
	bom := cyclonedx.NewBOM()
	bom.Metadata = &cyclonedx.Metadata{Timestamp: r.at.Format("2006-01-02T15:04:05Z"), Component: &cyclonedx.Component{
		BOMRef: "yewcone", Type: cyclonedx.ComponentTypeApplication, Name: "yewcone", Version: r.version}}
	components := []cyclonedx.Component{{BOMRef: "pkg:golang/stdlib@" + strings.TrimPrefix(info.GoVersion, "go"), Type: cyclonedx.ComponentTypeLibrary,
		Name: "stdlib", Version: strings.TrimPrefix(info.GoVersion, "go"), PackageURL: "pkg:golang/stdlib@" + strings.TrimPrefix(info.GoVersion, "go")}}
	for _, m := range info.Deps {
		if m.Replace != nil {
			m = m.Replace
		}
		url := "pkg:golang/" + m.Path + "@" + m.Version
		c := cyclonedx.Component{BOMRef: url, Type: cyclonedx.ComponentTypeLibrary, Name: m.Path, Version: m.Version, PackageURL: url}
		if m.Sum != "" {
			c.Properties = &[]cyclonedx.Property{{Name: "go:sum", Value: m.Sum}}
		}
		components = append(components, c)
	}
	bom.Components = &components
	var out bytes.Buffer
	encoder := cyclonedx.NewBOMEncoder(&out, cyclonedx.BOMFileFormatJSON).SetPretty(true)
	if err := encoder.Encode(bom); err != nil {
		return nil, err
	}
	return append(slices.Clone(list), entry{name: "materials.cdx.json", text: out.Bytes()}), nil
}

// packages writes a Debian package and an RPM, and returns their names.
func packages(r *revision, t target, dir, program string, list []entry) ([]string, error) {
	work, err := os.MkdirTemp("", "package-*")
	if err != nil {
		return nil, err
	}
	defer os.RemoveAll(work)
	contents := files.Contents{put("/usr/bin/yewcone", program, 0o755, r)}
	for i := range list {
		e := &list[i]
		to := installed(e.name)
		data, err := e.read()
		if err != nil {
			return nil, err
		}
		if strings.HasPrefix(e.name, "man/") {
			if data, err = packed(data); err != nil {
				return nil, err
			}
		}
		from := filepath.Join(work, fmt.Sprint(i))
		if err := os.WriteFile(from, data, 0o644); err != nil {
			return nil, err
		}
		contents = append(contents, put(to, from, 0o644, r))
	}
	number, pre, _ := strings.Cut(r.version, "-")
	var names []string
	for _, format := range []string{"deb", "rpm"} {
		packager, err := nfpm.Get(format)
		if err != nil {
			return nil, err
		}
		info := nfpm.WithDefaults(&nfpm.Info{Name: "yewcone", Arch: t.arch, Platform: "linux", Version: number, Prerelease: strings.ReplaceAll(pre, "-", "."),
			Section: "admin", Priority: "optional", Maintainer: "The makers of Yewcone <makers@yewcone.example>", Vendor: "Yewcone",
			Description: "check password settings against rules\nHolds exported password settings and accounts of many unlike systems against\n" +
				"rules for complexity, history, lockout and age, and finds gaps between them.",
			Homepage: "https://yewcone.example", MTime: r.at,
			Overridables: nfpm.Overridables{Contents: contents, RPM: nfpm.RPM{BuildHost: "localhost"}}})
		if err := nfpm.PrepareForPackager(info, format); err != nil {
			return nil, err
		}
		name := packager.ConventionalFileName(info)
		var out bytes.Buffer
		if err := packager.Package(info, &out); err != nil {
			return nil, fmt.Errorf("%s: %w", name, err)
		}
		if err := os.WriteFile(filepath.Join(dir, name), out.Bytes(), 0o644); err != nil {
			return nil, err
		}
		names = append(names, name)
	}
	return names, nil
}

func put(to, from string, mode os.FileMode, r *revision) *files.Content {
	return &files.Content{Destination: to, Source: from, FileInfo: &files.ContentFileInfo{Owner: "root", Group: "root", Mode: mode, MTime: r.at}}
}

// installed is where a file of the archives lies once a package is installed.
func installed(name string) string {
	switch name {
	case "completion/yewcone.bash":
		return "/usr/share/bash-completion/completions/yewcone"
	case "completion/_yewcone":
		return "/usr/share/zsh/vendor-completions/_yewcone"
	case "completion/yewcone.fish":
		return "/usr/share/fish/vendor_completions.d/yewcone.fish"
	}
	if strings.HasPrefix(name, "man/") {
		return path.Join("/usr/share", name) + ".gz"
	}
	return path.Join("/usr/share/doc/yewcone", name)
}

func packed(data []byte) ([]byte, error) {
	var out bytes.Buffer
	z, err := gzip.NewWriterLevel(&out, gzip.BestCompression)
	if err != nil {
		return nil, err
	}
	if _, err := z.Write(data); err != nil {
		return nil, err
	}
	err = z.Close()
	return out.Bytes(), err
}
