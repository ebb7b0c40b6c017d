package directory

import (
	"cmp"
	"strings"

	"yewcone/core/facts"
	"yewcone/core/setting"
	"yewcone/intake/ldif"
	"yewcone/intake/stored"
)

// A database is what the server's configuration (cn=config) says of one: each
// has its own policies, or none, and its own rules of access.
type database struct {
	dn       string   // normal, of its entry
	suffixes []string // normal DNs
	root     string   // normal DN of whom no rule holds
	read     bool     // its own entry was
	overlay  bool     // policies hold in it
	fallback string   // normal DN of the policy for accounts that name none
	hashes   bool     // passwords that come in clear are hashed
	lastBind bool     // it keeps when somebody last signed in
	access   []string // rules, in their order
	rules    []rule   // these, and those of all databases, once all was read
}

// A config is what the export has of the server's configuration.
type config struct {
	there     bool
	databases []*database // in the order of the export
	modules   []string    // names of those that are loaded, without paths
	schemes   []string    // that new passwords are hashed by
	rootPW    bool        // the password of some root is in the export
	access    []string    // of all databases, after their own
}

// isConfig: an entry of the configuration that is read here.
func isConfig(x *ldif.Entry) bool {
	return x.Seen&seenConfig != 0 || x.IsOne(&configClasses)
}

var configClasses = ldif.NewClasses("olcPPolicyConfig", "olcDatabaseConfig", "olcModuleList")

// database returns the one of a configuration entry.
func (c *config) database(dn string) *database {
	for _, d := range c.databases {
		if d.dn == dn {
			return d
		}
	}
	d := &database{dn: dn}
	c.databases = append(c.databases, d)
	return d
}

func (c *config) add(x *ldif.Entry) {
	c.there = true
	dn := ldif.NormalDN(x.DN)
	if x.Is("olcPPolicyConfig") || x.Has("olcppolicydefault") {
		_, parent, _ := strings.Cut(dn, ",")
		d := c.database(parent)
		d.overlay = !strings.EqualFold(x.Text("olcdisabled"), "TRUE")
		d.fallback = ldif.NormalDN(x.Text("olcppolicydefault"))
		d.hashes = strings.EqualFold(x.Text("olcppolicyhashcleartext"), "TRUE")
		return
	}
	if x.Is("olcModuleList") {
		for _, a := range x.Attrs {
			if a.Name == "olcmoduleload" {
				name := strings.Fields(ordered(a.Value) + " ")
				if len(name) > 0 {
					module := name[0][strings.LastIndexByte(name[0], '/')+1:]
					module, _, _ = strings.Cut(module, ".")
					c.modules = append(c.modules, strings.ToLower(module))
				}
			}
		}
		return
	}
	c.rootPW = c.rootPW || x.Seen&watch["olcrootpw"] != 0
	var access []string
	for _, a := range x.Attrs {
		if a.Name == "olcaccess" {
			access = append(access, ordered(a.Value))
		}
		if a.Name == "olcpasswordhash" {
			c.schemes = append(c.schemes, strings.Fields(a.Value)...)
		}
	}
	if x.Is("olcFrontendConfig") {
		c.access = access
		return
	}
	d := c.database(dn)
	d.read = true
	d.lastBind = strings.EqualFold(x.Text("olclastbind"), "TRUE")
	d.root, d.access = ldif.NormalDN(x.Text("olcrootdn")), access
	for _, a := range x.Attrs {
		if a.Name == "olcsuffix" {
			d.suffixes = append(d.suffixes, ldif.NormalDN(a.Value))
		}
	}
}

// ordered takes the number in braces off that values in order begin with.
func ordered(value string) string {
	if strings.HasPrefix(value, "{") {
		if _, rest, ok := strings.Cut(value, "}"); ok {
			return rest
		}
	}
	return value
}

// fallback is the default policy of the only database with policies, and how
// many there are.
func (c *config) fallback() (dn string, overlays int) {
	for _, d := range c.databases {
		if d.overlay {
			dn = d.fallback
			overlays++
		}
	}
	return dn, overlays
}

// lost is the entry of a database that has policies and is not in the export itself,
// though others are; "" for none. Then which database the policies hold in is not known.
func (c *config) lost() (dn string) {
	others := false
	for _, d := range c.databases {
		if others = others || len(d.suffixes) > 0; d.overlay && !d.read {
			dn = d.dn
		}
	}
	if !others {
		return ""
	}
	return dn
}

// of returns the database that an entry is in: that of the longest suffix. nil
// where the configuration is not in the export or knows none.
func (c *config) of(dn string) *database {
	var found *database
	longest := -1
	for _, d := range c.databases {
		for _, suffix := range d.suffixes {
			if len(suffix) > longest && (dn == suffix || suffix == "" || ldif.Below(dn, suffix)) {
				found, longest = d, len(suffix)
			}
		}
	}
	return found
}

// schemeModules are the modules that check schemes which the server itself does
// not, by the part of their names that tells them.
var schemeModules = map[string]string{"SHA256": "pw-sha2", "SSHA256": "pw-sha2", "SHA384": "pw-sha2", "SSHA384": "pw-sha2",
	"SHA512": "pw-sha2", "SSHA512": "pw-sha2", "PBKDF2": "pw-pbkdf2", "PBKDF2-SHA1": "pw-pbkdf2", "PBKDF2-SHA256": "pw-pbkdf2",
	"PBKDF2-SHA512": "pw-pbkdf2", "ARGON2": "argon2", "APR1": "pw-apr1", "BSDMD5": "pw-apr1", "TOTP1": "pw-totp", "TOTP256": "pw-totp",
	"TOTP512": "pw-totp", "NS-MTA-MD5": "pw-netscape", "KERBEROS": "pw-kerberos", "RADIUS": "pw-radius", "K5KEY": "smbk5pwd"}

// letsIn reports whether some password matches a value of userPassword. A value
// of a scheme that the server does not know matches none, and so do
// {CLEARTEXT} before a password and an empty value.
func (c *config) letsIn(value string) facts.Tri {
	if value == "" {
		return facts.No
	}
	scheme, data, ok := strings.Cut(strings.TrimPrefix(value, "{"), "}")
	if value[0] != '{' || !ok || scheme == "" {
		return facts.Yes
	}
	switch scheme = strings.ToUpper(scheme); scheme {
	case "SSHA", "SHA", "SMD5", "MD5":
		return facts.Yes
	case "CRYPT":
		return facts.TriOf(stored.CryptWorks(data))
	case "SASL":
		return facts.Unknown // another system decides
	}
	module, known := schemeModules[scheme]
	if len(c.modules) == 0 {
		return facts.Unknown // one may know it
	}
	odd := false
	for _, loaded := range c.modules {
		if known && strings.HasPrefix(loaded, module) {
			return facts.Yes
		}
		odd = odd || strings.HasPrefix(loaded, "pw-") && !knownModule(loaded)
	}
	if odd && !known {
		return facts.Unknown // one of the house's own may know it
	}
	return facts.No
}

func knownModule(loaded string) bool {
	for _, module := range schemeModules {
		if strings.HasPrefix(loaded, module) {
			return true
		}
	}
	return false
}

// newStorage is how passwords are stored that are set from now on; unknown
// where those that are set by changing an attribute stay as they come.
func (c *config) newStorage() setting.Value {
	for _, d := range c.databases {
		if d.overlay && !d.hashes {
			return setting.Value{}
		}
	}
	schemes := c.schemes
	if len(schemes) == 0 {
		schemes = []string{"{SSHA}"}
	}
	weakest := setting.Value{}
	for i, scheme := range schemes {
		if strings.EqualFold(scheme, "{CRYPT}") {
			return setting.Value{} // the salt's form decides, which stands elsewhere
		}
		grade := stored.Directory(scheme)
		if i == 0 || !grade.Known() {
			weakest = grade
		} else if weakest.Known() {
			weakest = setting.At(setting.Storage).Loosest(weakest, grade)
		}
	}
	return weakest
}

// withoutPolicy is what the server does where no policy holds.
func (e *export) withoutPolicy() {
	p := &facts.Policy{Name: "no policy", Origin: facts.Origin{File: strings.Join(e.request.From, ", "),
		Text: "no policy: nothing is asked"}}
	for _, id := range []setting.ID{setting.MinLength, setting.MaxLength, setting.History, setting.ReuseAfter, setting.MaxAge,
		setting.MinAge, setting.WarnBefore, setting.LockoutAttempts, setting.LockoutWindow, setting.SourceAttempts,
		setting.FailureDelay, setting.DormantAfter} {
		p.Set(id, setting.OffValue, p.Origin)
	}
	p.Set(setting.GraceSignIns, setting.Count(0), p.Origin)
	p.Set(setting.ChangeAtFirstUse, setting.No, p.Origin)
	noComposition(p, p.Origin)
	e.Read.NoPolicy = p
}

// isRoot: a database's root with a password of its own in the configuration, or
// one whose password may have been left out.
func (e *export) isRoot(x *ldif.Entry) bool {
	return x.Text("olcrootdn") != "" && (x.Seen&watch["olcrootpw"] != 0 || !e.config.rootPW && x.Text("olcsuffix") != "")
}

// root fills the account of the configuration that stands above a database: no
// policy holds for it, and nothing locks it.
func (e *export) root(a *facts.Account, file string, x *ldif.Entry) {
	password, there := x.First("olcrootpw")
	a.Origin = facts.Origin{File: file, Line: cmp.Or(password.Line, x.Line), Place: x.DN}
	a.Login, a.Kind, a.Privileged = x.Text("olcrootdn"), facts.BuiltIn, facts.Yes
	a.Unit = "configuration"
	a.DisplayName = "root of " + ordered(ldif.FirstName(x.DN))
	if e.Read.NoPolicy != nil {
		a.Policy = e.Read.NoPolicy.Name
	}
	a.Enabled, a.Locked, a.MustChange, a.NeverExpires, a.CannotChange = facts.Yes, facts.No, facts.No, facts.No, facts.No
	a.PasswordExpires, a.Ends, a.GroupsKnown = facts.Never, facts.Never, true
	if there {
		a.PasswordUsable, a.Blank = e.config.letsIn(password.Value), facts.TriOf(password.Value == "")
		a.Storage, a.StoredMark = stored.Directory(password.Value), stored.Mark(password.Value)
	}
}
