package html

import (
	"bytes"
	"encoding/base64"
	"fmt"
	"html/template"
	"yewcone/output"
	"yewcone/output/picture"
)

// records draws the records of sign-ins.
func (v *view) records(o output.Options) error {
	v.Seen = v.Result.InRecords()
	for _, r := range o.Replays {
		if r.Events == 0 {
			continue
		}
		var b bytes.Buffer
		if err := picture.Replay(&b, r, "svg"); err != nil {
			return err
		}
		force := &r.Columns[0]
		record := recordView{System: r.System, Image: template.URL("data:image/svg+xml;base64," + base64.StdEncoding.EncodeToString(b.Bytes())),
			Words: fmt.Sprintf(
				"%s to %s UTC: %d wrong passwords and %d right ones, and %d sign-ins without a password. With the lockout in force, locks of accounts: %d, on "+
					"%d of them; wrong passwords that went through: %d",
				r.From.Format("2006-01-02 15:04"),
				r.To.Format("2006-01-02 15:04"),
				r.Failed,
				r.LetIn,
				r.ByKey,
				force.Locks,
				force.Accounts,
				force.Through,
			)}
		if force.NotKnown > 0 {
			record.Words += fmt.Sprintf("; of %d accounts that failed the lockout is not known", force.NotKnown)
		}
		for i := range v.Result.Findings {
			if f := &v.Result.Findings[i]; f.OfRecord && f.System == r.System {
				record.Findings = append(record.Findings, f)
			}
		}
		v.Records = append(v.Records, record)
	}
	return nil
}
