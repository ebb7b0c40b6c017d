package cli

import (
	"strings"
	"testing"

	"yewcone/demo"
)

// TestReplay: the demo's records against the lockouts in force and proposed
// ones; what is no account is not locked, and wrong words are told.
func TestReplay(t *testing.T) {
	t.Parallel()
	folder := t.TempDir()
	if err := demo.WriteEstate(folder); err != nil {
		t.Fatal(err)
	}
	for _, c := range []struct {
		args  []string
		code  int
		wants []string
	}{
		{[]string{"quay1", "--set", "lockout_attempts=3,5", "--set", "lockout_window=15 minutes", "--set", "lockout_duration=30 minutes"}, 0, []string{
			"670 wrong passwords, 53 right ones, 48 without a password", "svc-tide 576 0 1 3 13 — 72 locks —", "siobhan.keane 7 4 3 (1 let in) 5 5 1 lock 1 lock 1 lock",
			"root 72 0 2 72 72 —", "203.0.113.50 12 0 12 1 3", "no such account"}},
		{[]string{"rota", "--set", "lockout_attempts=3"}, 0, []string{"1053 sign-ins", "siobhan.keane 242 5 3 (1 let in) 240 240", "203.0.113.50 40 1 40 2 9"}},
		{[]string{"quay1", "--format", "csv", "--set", "lockout_attempts=10", "--set", "lockout_window=1 hour", "--set", "lockout_duration=30 minutes"}, 0, []string{
			"quay1,svc-tide,service,576,0,1,0,3,7,13," +
				"\"lockout_attempts 10, lockout_window 1 hour, lockout_duration 30 minutes\",yes,38,2026-11-21T00:46:32Z,"}},
		{[]string{"quay1", "--propose"}, 0, []string{"quay1: 3 of 33 lockouts are on the border",
			"6 30 minutes 0 1 26.0 0 403 privileged/lockout, rota (10, 15 minutes)",
			"3 15 minutes 2 1 36.9 1 301 rota (10)", "in force 1 0 0.5 0 663"}},
		{[]string{"rota", "--set", "source_attempts=10,20", "--set", "source_window=1 hour", "--set", "source_duration=1 hour"}, 0, []string{
			"addresses shut out 0 2 1", "wrong passwords refused 0 378 220", "What is done about addresses (source_attempts and its like) is not known"}},
		{[]string{"quay1", "--set", "lockout_longest=1 day", "--set", "lockout_attempts=3", "--set", "lockout_duration=5 minutes", "--set", "failure_delay=1 minute"}, 0,
			[]string{"sooner than the pause 0 73", "locks 1 12", "A is against house/lockout, rota (10, 15 minutes)"}},
		{[]string{"quay1", "--format", "svg"}, 0, []string{"<svg", "quay1: sign-ins by the hour (UTC)"}},
		{[]string{"quay1", "--propose", "--format", "svg"}, 0, []string{"<svg", "people locked against guesses"}},
		{[]string{"rota", "--propose"}, 0, []string{"8 5 minutes 1 0 21.7 5 389 privileged/lockout, house/lockout, quay1 (5, 15 minutes)"}},
		{[]string{"rota", "--propose", "--set", "lockout_attempts=3"}, 2, []string{"leave out --set"}},
		{[]string{"yard"}, 2, []string{"the estate names no record of the sign-ins of yard"}},
		{[]string{"quay1", "--set", "lockout_attempt=3"}, 2, []string{`did you mean "lockout_attempts"`}},
		{[]string{"quay1", "--set", "min_length=3"}, 2, []string{"replay takes lockout_attempts, lockout_window, lockout_duration, lockout_longest"}},
		{[]string{"quay1", "--set", "lockout_window=a while"}, 2, []string{"--set lockout_window"}},
		{[]string{"quay1", "--set", "5"}, 2, []string{"expected such as lockout_attempts=5"}},
		{nil, 2, []string{"replay takes one system"}},
	} {
		stdout, stderr, code := runTool(t, folder, append([]string{"replay"}, c.args...)...)
		plain := strings.Join(strings.Fields(stdout+stderr), " ")
		for _, want := range c.wants {
			if code != c.code || !strings.Contains(plain, want) {
				t.Errorf("%v: exit %d, no %q in\n%s%s", c.args, code, want, stdout, stderr)
			}
		}
	}
	replaceIn(t, folder+"/exports/rota/signins.csv", "Account,", "Acount,")
	refused := func(system string, wants ...string) {
		t.Helper()
		_, stderr, code := runTool(t, folder, "replay", system)
		for _, want := range wants {
			if code != 2 || !strings.Contains(stderr, want) {
				t.Errorf("exit %d, no %q in %s", code, want, stderr)
			}
		}
	}
	refused("rota", "mappings/rota.yaml", `"Account"`)
	replaceIn(t, folder+"/estate.yaml", "{read: sshd, from", "{read: ssh, from")
	refused("quay1", "estate.yaml:", `did you mean "sshd"`)
}
