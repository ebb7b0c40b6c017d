package formats

import "regexp"

// An Absence is something of which the lack means "not so" in an export, and
// not "not known": because the export is known to show everything. What it
// says may then change when it is taken away; nothing else may.
type Absence struct {
	Format string
	What   string         // what may be missing, for people
	Proof  string         // why its lack means something
	Where  *regexp.Regexp // "FILE: NAME", with " of one" where one entry alone lacks it
}

// Absences is the whole list; docs/verdicts.md shows it, and the shorter the
// better.
var Absences = []Absence{
	{
		Format: "ldif",
		What:   "a pwd… attribute, a member or the default policy, in the server's own dump",
		Proof:  "slapcat writes every attribute that an entry has, and the schema gives each its default",
		Where:  regexp.MustCompile(`^slapcat(-config)?\.ldif: (pwd\w+|member|olcPPolicyDefault)( of one)?$`),
	},
	{
		Format: "ldif",
		What:   "a pwd… attribute or a member of one entry alone, in a search that shows it on others",
		Proof:  "access rules hide an attribute, not its single values",
		Where:  regexp.MustCompile(`^ldapsearch\.ldif: (pwd\w+|member) of one$`),
	},
	{
		Format: "samba",
		What:   "a member, or whom a settings object is for, of one entry alone",
		Proof:  "access rules hide an attribute, not its single values",
		Where:  regexp.MustCompile(`^(accounts|pso)\.ldif: (member|msDS-PSOAppliesTo) of one$`),
	},
	{
		Format: "linux",
		What:   "a drop-in of pwquality",
		Proof:  "a host need not have one, and the main file does not name them",
		Where:  regexp.MustCompile(`^etc/security/pwquality\.conf\.d/`),
	},
	{
		Format: "mariadb",
		What:   "a member of the JSON of an account",
		Proof:  "the server writes a lock, a date, a method, a life, a demand for TLS or a role only where there is one",
		Where:  regexp.MustCompile(`^global_priv\.json: (password_last_changed|plugin|is_role|account_locked|password_lifetime|ssl_type)$`),
	},
}
