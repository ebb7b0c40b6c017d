// Package protocols lists the ways to ask systems.
package protocols

import (
	"yewcone/take"
	"yewcone/take/ldap"
	"yewcone/take/local"
	"yewcone/take/mariadb"
	"yewcone/take/postgresql"
	"yewcone/take/web"
)

// All lists every protocol. Adding one means a folder and a line here.
var All = []*take.Protocol{&ldap.Protocol, &postgresql.Protocol, &mariadb.Protocol, &web.SCIM, &web.Pages, &local.Host, &local.Command}

// Find returns the protocol of a name; nil for none.
func Find(name string) *take.Protocol {
	for _, p := range All {
		if p.Name == name {
			return p
		}
	}
	return nil
}
