// Package formats lists the formats that exports are read in.
package formats

import (
	"yewcone/intake"
	"yewcone/intake/directory"
	"yewcone/intake/ds389"
	"yewcone/intake/kerberos"
	"yewcone/intake/linux"
	"yewcone/intake/mapping"
	"yewcone/intake/mariadb"
	"yewcone/intake/postgresql"
	"yewcone/intake/samba"
	"yewcone/intake/snapshot"
)

// All lists every format. Adding one means a folder and a line here.
var All = []intake.Format{directory.Format, ds389.Format, samba.Format, postgresql.Format, mariadb.Format, kerberos.Format, linux.Format,
	mapping.SCIM, snapshot.Format, mapping.SQL, mapping.Format}

// Names lists what "read" can say in an estate file.
func Names() []string {
	names := make([]string, len(All))
	for i, f := range All {
		names[i] = f.Name
	}
	return names
}

// Find returns the format of a name.
func Find(name string) (intake.Format, bool) {
	for _, f := range All {
		if f.Name == name {
			return f, true
		}
	}
	return intake.Format{}, false
}
