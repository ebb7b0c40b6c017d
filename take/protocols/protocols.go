// Package protocols lists the ways to ask systems.
package protocols

import (
	"yewcone/take"
	"yewcone/take/clickhouse"
	"yewcone/take/ldap"
	"yewcone/take/local"
	"yewcone/take/mariadb"
	"yewcone/take/postgresql"
	"yewcone/take/web"
)

// All lists every protocol. Adding one means a folder and a line here.
var All = []*take.Protocol{&ldap.Protocol, &postgresql.Protocol, &mariadb.Protocol, &web.SCIM, &web.Pages, &local.Host, &local.Command}

// Databases are those whose tables can be judged where they lie. Adding one means how
// it is signed in to, and the dialect that it reads.
var Databases = map[string]take.Connect{"postgresql": postgresql.Database, "clickhouse": clickhouse.Database}

// Find returns the protocol of a name; nil for none.
func Find(name string) *take.Protocol {
	for _, p := range All {
		if p.Name == name {
			return p
		}
	}
	return nil
}
