package cli

import (
	"encoding/json"
	"html"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"strings"
	"testing"

	"yewcone/demo"
)

// watchPage notes errors, before the page's own script.
const watchPage = `<script>window.seen = []; window.addEventListener("error", function (e) { window.seen.push(e.message); });</script>`

// usePage uses the page as a reader does, and writes down what came of it.
const usePage = `<script>(function () {
var out = {errors: window.seen, open: document.querySelectorAll("details[open]").length};
var table = document.querySelector("table.todo"), first = function () { return table.tBodies[0].rows[0].cells[0].textContent; };
out.before = first();
var heads = table.querySelectorAll("thead th"), last = heads[heads.length - 1].querySelector("button");
last.click(); last.click();
out.after = first();
out.most = Number(table.tBodies[0].rows[0].cells[heads.length - 1].textContent);
var filter = document.getElementById("filter"), rows = document.querySelectorAll("#all-findings tbody tr");
filter.value = "gangway"; filter.dispatchEvent(new Event("input"));
out.all = rows.length; out.shown = document.querySelectorAll("#all-findings tbody tr:not(.hidden)").length;
location.hash = "#system-rota";
window.dispatchEvent(new HashChangeEvent("hashchange"));
out.system = document.getElementById("system-rota").open && document.getElementById("systems").open;
out.asked = performance.getEntriesByType("resource").map(function (r) { return r.name; });
var pre = document.createElement("pre"); pre.id = "outcome"; pre.textContent = JSON.stringify(out); document.body.appendChild(pre);
})();</script>`

// TestLivePage: the page of the demo in a browser: its script works, it asks
// nothing of the network, nothing is wrong on its console, and what a manager
// prints is one page of A4.
func TestLivePage(t *testing.T) {
	live(t, "chromium")
	folder := t.TempDir()
	if err := demo.WriteEstate(folder); err != nil {
		t.Fatal(err)
	}
	if _, stderr, code := runTool(t, folder, "report", "--out", "page.html"); code != 0 {
		t.Fatalf("exit %d %s", code, stderr)
	}
	data, err := os.ReadFile(filepath.Join(folder, "page.html"))
	if err != nil {
		t.Fatal(err)
	}
	text := strings.Replace(strings.Replace(string(data), "<style>", watchPage+"<style>", 1), "</body>", usePage+"</body>", 1)
	if err := os.WriteFile(filepath.Join(folder, "used.html"), []byte(text), 0o600); err != nil {
		t.Fatal(err)
	}
	browser := func(args ...string) (stdout, stderr string) {
		c := exec.Command("chromium", append([]string{"--headless=new", "--no-sandbox", "--disable-gpu", "--no-first-run", "--enable-logging=stderr",
			"--disable-background-networking", "--user-data-dir=" + filepath.Join(folder, "profile")}, args...)...)
		var out, errs strings.Builder
		c.Stdout, c.Stderr = &out, &errs
		if err := c.Run(); err != nil {
			t.Fatalf("%v\n%s", err, errs.String())
		}
		return out.String(), errs.String()
	}
	dom, console := browser("--dump-dom", "file://"+filepath.Join(folder, "used.html"))
	m := regexp.MustCompile(`<pre id="outcome">(.*?)</pre>`).FindStringSubmatch(dom)
	if m == nil {
		t.Fatalf("the page was not used to the end\n%s", console)
	}
	var out struct {
		Errors, Asked    []string
		Open, All, Shown int
		Before, After    string
		Most             int
		System           bool
	}
	if err := json.Unmarshal([]byte(html.UnescapeString(m[1])), &out); err != nil {
		t.Fatal(err)
	}
	if len(out.Errors) > 0 || len(out.Asked) > 0 || strings.Contains(console, "CONSOLE") {
		t.Errorf("errors %v, asked of elsewhere %v\n%s", out.Errors, out.Asked, console)
	}
	if out.Open != 0 || out.Before != "1" || out.After == "1" || out.Most != 2400 || out.Shown == 0 || out.Shown >= out.All || !out.System {
		t.Errorf("the page's script does not do what it should: %+v", out)
	}
	pdf := filepath.Join(folder, "page.pdf")
	browser("--print-to-pdf="+pdf, "--no-pdf-header-footer", "file://"+filepath.Join(folder, "page.html"))
	printed, err := os.ReadFile(pdf)
	if err != nil {
		t.Fatal(err)
	}
	pages := regexp.MustCompile(`/Type\s*/Page[^s]`).FindAll(printed, -1)
	if a4 := regexp.MustCompile(`/MediaBox ?\[0 0 59[45]\.\d+ 841\.\d+\]`); len(pages) != 1 || !a4.Match(printed) {
		t.Errorf("%d pages", len(pages))
	}
}
