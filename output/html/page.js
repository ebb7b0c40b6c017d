"use strict";
// Without this the page says the same; with it, tables sort and rows filter.
document.querySelectorAll("table.sortable").forEach(function (table) {
  table.querySelectorAll("thead th").forEach(function (head, column) {
    var button = document.createElement("button");
    button.textContent = head.textContent;
    head.textContent = "";
    head.appendChild(button);
    button.addEventListener("click", function () {
      var up = head.getAttribute("aria-sort") !== "ascending";
      table.querySelectorAll("thead th").forEach(function (h) { h.removeAttribute("aria-sort"); });
      head.setAttribute("aria-sort", up ? "ascending" : "descending");
      var key = function (row) {
        var cell = row.cells[column], text = cell.dataset.sort || cell.textContent.trim();
        if (text === "no bound") { return Infinity; }
        var plain = text.replace(/,/g, "");
        return plain !== "" && !isNaN(plain) ? Number(plain) : text.toLowerCase();
      };
      var body = table.tBodies[0];
      Array.from(body.rows).map(function (row, i) { return { row: row, key: key(row), i: i }; }).sort(function (a, b) {
        var x = a.key, y = b.key, order;
        if (typeof x !== typeof y) { order = typeof x === "number" ? -1 : 1; } else { order = x < y ? -1 : x > y ? 1 : 0; }
        return order === 0 ? a.i - b.i : up ? order : -order;
      }).forEach(function (entry) { body.appendChild(entry.row); });
    });
  });
});
var filter = document.getElementById("filter");
if (filter) {
  var rows = document.getElementById(filter.dataset.for).tBodies[0].rows, shown = document.getElementById("shown");
  filter.addEventListener("input", function () {
    var words = filter.value.toLowerCase().split(/\s+/), n = 0;
    Array.from(rows).forEach(function (row) {
      var text = row.textContent.toLowerCase(), fits = words.every(function (w) { return text.indexOf(w) >= 0; });
      row.classList.toggle("hidden", !fits);
      if (fits) { n++; }
    });
    shown.textContent = filter.value ? n + " of " + rows.length : "";
  });
}
var open = function () {
  var target = location.hash && document.getElementById(location.hash.slice(1));
  for (var d = target && target.closest("details"); d; d = d.parentElement.closest("details")) { d.open = true; }
  if (target) { target.scrollIntoView(); }
};
window.addEventListener("hashchange", open);
open();
window.addEventListener("beforeprint", function () {
  document.querySelectorAll("details.fold[open] details.system").forEach(function (d) { d.open = true; });
});
