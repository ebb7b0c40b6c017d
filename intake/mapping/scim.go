package mapping

import (
	"io"
	"slices"
	"strings"

	"yewcone/core/facts"
	"yewcone/core/strictyaml"
	"yewcone/intake"
	"yewcone/intake/text"
)

const howSCIM = `From the service's SCIM endpoint, page by page until startIndex passes totalResults:
curl -H "Authorization: Bearer TOKEN" "https://SERVICE/scim/v2/Users?startIndex=1&count=100" > users-001.json
curl -H "Authorization: Bearer TOKEN" "https://SERVICE/scim/v2/Users?startIndex=101&count=100" > users-101.json
curl -H "Authorization: Bearer TOKEN" "https://SERVICE/scim/v2/Groups?startIndex=1&count=100" > groups-001.json

estate.yaml:
  export: {read: scim, from: [users-001.json, users-101.json, groups-001.json]}
  as_of: the moment of the export
SCIM says little of passwords: what the service's own extension says, and its settings, come
through a mapping beside it (mapping: mappings/NAME.yaml), which takes only what is new.
`

// SCIM is the lists of users of RFC 7643 and 7644, with a mapping for what a
// service says beyond them.
var SCIM = intake.Format{
	Name:   "scim",
	Doc:    "SCIM 2.0 lists of users, with a mapping for a service's own extension and settings",
	Open:   openSCIM,
	How:    howSCIM,
	ToKnow: toKnow,
}

// coreUser takes the attributes of RFC 7643 section 4.1.
const coreUser = `mapping: SCIM users
dates: iso 8601
yes: "true"
no: "false"
accounts:
  - file: pages
    rows: $.Resources[*]
    take:
      login: $.userName
      display_name: $.displayName
      first_name: $.name.givenName
      last_name: $.name.familyName
      email: $.emails[0].value
      employee_no: $['urn:ietf:params:scim:schemas:extension:enterprise:2.0:User'].employeeNumber
      unit: $['urn:ietf:params:scim:schemas:extension:enterprise:2.0:User'].department
      groups: {from: "$.groups[*].display", missing: empty}
      roles: {from: "$.roles[*].value", missing: empty}
      enabled: $.active
      created: $.meta.created
`

func openSCIM(r *intake.Request) (facts.Export, error) {
	core := newPlan()
	if err := strictyaml.Decode("SCIM", []byte(coreUser), &core.file); err != nil {
		return nil, err
	}
	users := core.file.Accounts[0]
	if r.Mapping == "" {
		users.Files = nil
		groups := membersTable{Rows: users.Rows, Account: strictyaml.Text{Value: "$.members[*].value"},
			Group: strictyaml.Text{Value: "$.displayName"},
			ID:    &strictyaml.Text{Value: "$.id"}, Match: &strictyaml.Text{Value: "$.id"}}
		for _, from := range r.From {
			if listsGroups(r.Path(from)) {
				groups.File = append(groups.File, strictyaml.Text{Value: from})
			} else {
				users.Files = append(users.Files, strictyaml.Text{Value: from})
			}
		}
		if len(groups.File) > 0 {
			users.Members = []membersTable{groups}
		}
		core.file.Accounts = []accountsTable{users}
		if err := core.check(); err != nil {
			return nil, err
		}
		return openWith(r, core)
	}
	plan, err := readPlan(r)
	if err != nil {
		return nil, err
	}
	for i := range plan.file.Accounts {
		complete(&plan.file.Accounts[i], &users)
	}
	return openWith(r, plan)
}

// groupSchema names the resources of RFC 7643 section 4.2.
const groupSchema = "urn:ietf:params:scim:schemas:core:2.0:Group"

// listsGroups reports whether a file is a list of groups: whether the first
// schema that its beginning names, past that of the list, is theirs.
func listsGroups(path string) bool {
	f, err := text.Open(path, "")
	if err != nil {
		return false
	}
	defer f.Close()
	head, _ := io.ReadAll(io.LimitReader(f, 1<<16))
	const core = "urn:ietf:params:scim:schemas:"
	i := strings.Index(string(head), core)
	return i >= 0 && strings.HasPrefix(string(head[i:]), groupSchema)
}

// complete adds what every SCIM service says to what a mapping takes.
func complete(own, core *accountsTable) {
	if own.Rows == nil {
		own.Rows = core.Rows
	}
	for _, take := range core.Take {
		taken := func(p strictyaml.Pair[factSource]) bool { return p.Key.Value == take.Key.Value }
		if slices.ContainsFunc(own.Take, taken) {
			continue
		}
		if take.Key.Value == "enabled" {
			take.Value.Yes, take.Value.No = []string{"true"}, []string{"false"}
		}
		if take.Key.Value == "created" && take.Value.Dates == nil {
			take.Value.Dates = []strictyaml.Text{{Value: "iso 8601"}}
		}
		own.Take = append(own.Take, take)
	}
}
