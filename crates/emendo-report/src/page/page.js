"use strict";
// Draws a report. Where it comes from is one object, `source`: here the value that the page brings along. A live page hands over another
// one that asks a server, and may bring `decide`; nothing else depends on it.
const source = {
  load: () => JSON.parse(document.getElementById("data").textContent),
};

// ---- Small helpers -------------------------------------------------------------------------------------------------

// An element with attributes and children; text is never read as markup.
function el(name, attributes, ...children) {
  const out = document.createElement(name);
  for (const [key, value] of Object.entries(attributes || {})) {
    if (value === true) out.setAttribute(key, "");
    else if (value !== false && value !== null && value !== undefined) out.setAttribute(key, value);
  }
  for (const child of children.flat()) {
    if (child !== null && child !== undefined && child !== false) out.append(child);
  }
  return out;
}
const byId = (id) => document.getElementById(id);
const count = (n, one) => (n === 1 ? `1 ${one}` : `${n} ${one}s`);
const short = (id) => id.slice(0, 8);
// Characters that are not seen, or that turn what stands around them, are shown by their numbers.
const HIDDEN = /[\u0000-\u0008\u000b-\u001f\u007f-\u009f\u00ad\u061c\u200b-\u200f\u2028-\u202e\u2060-\u206f\ufeff]/g;
const seen = (text) => text.replace(HIDDEN, (c) => `\\u{${c.codePointAt(0).toString(16)}}`);
const stepName = (s) => `${s.recipe}/${s.step}`;

// ---- The report as a list of files with their changes -------------------------------------------------------------------

const data = source.load();
const runs = data.applied.map((r) => ({ run: r, applied: true }));
if (data.proposal) runs.push({ run: data.proposal, applied: false });

// One entry for each file of each run: its changes are runs of changed lines, or what becomes of the file as a whole.
const files = [];
for (const { run, applied } of runs) {
  for (const file of run.files) {
    const isIn = (e) => e.standing === "in";
    const changes = [];
    const whole = file.edits.filter((e) => e.file && isIn(e));
    file.hunks.forEach((hunk, h) => {
      (hunk.runs || []).forEach((r) => {
        changes.push({ hunk: h, from: r.from, to: r.from + r.lines, edits: r.by.map((i) => file.edits[i]).filter(Boolean) });
      });
    });
    if (changes.length + whole.length + file.notes.length === 0) continue;
    const shown = new Set(changes.flatMap((c) => c.edits));
    const alone = whole.filter((e) => !shown.has(e));
    files.push({ file, run, applied, changes, alone, path: file.to || file.path, index: files.length });
  }
}
const steps = [];
for (const { run } of runs) {
  for (const s of run.steps) {
    const known = steps.find((k) => stepName(k) === stepName(s));
    if (known) known.runs.push(s);
    else steps.push({ ...s, runs: [s] });
  }
}
const stateOf = (e, applied) =>
  applied ? "applied" : e.decision === "accepted" || e.decision === "reworded" ? "accepted" : e.decision === "rejected" ? "rejected" : "undecided";

// ---- What is filtered -------------------------------------------------------------------------------------------------------

const filter = { steps: new Set(), certainty: new Set(), state: new Set(), word: "" };
const fits = (e, entry) =>
  (filter.steps.size === 0 || filter.steps.has(stepName(e))) &&
  (filter.certainty.size === 0 || filter.certainty.has(e.certainty)) &&
  (filter.state.size === 0 || filter.state.has(stateOf(e, entry.applied)));

// True if a change holds the word that is looked for: in its lines, the path, an id, a step, or a fact.
function holds(change, entry) {
  const word = filter.word;
  if (!word) return true;
  const has = (text) => text.toLowerCase().includes(word);
  if (has(entry.path) || has(entry.file.path)) return true;
  if (change.edits.some((e) => e.id.startsWith(word) || has(e.step) || e.evidence.some((f) => has(f.text)))) return true;
  if (change.hunk === undefined) return false;
  const lines = entry.file.hunks[change.hunk].lines;
  for (let i = change.from; i < change.to; i += 1) if (has(lines[i].text)) return true;
  return false;
}
const anyFilter = () => filter.steps.size + filter.certainty.size + filter.state.size > 0 || filter.word !== "";
function wanted(change, entry) {
  const edits = change.edits;
  const ok = edits.length === 0 ? filter.steps.size + filter.certainty.size + filter.state.size === 0 : edits.some((e) => fits(e, entry));
  return ok && holds(change, entry);
}
function recount() {
  for (const entry of files) {
    entry.shown = entry.changes.filter((c) => wanted(c, entry));
    entry.shownAlone = entry.alone.filter((e) => wanted({ edits: [e] }, entry));
    entry.shownNotes = entry.file.notes.filter((n) => {
      const has = (text) => text.toLowerCase().includes(filter.word);
      return (filter.steps.size === 0 || filter.steps.has(stepName(n))) && filter.certainty.size + filter.state.size === 0 &&
        (filter.word === "" || has(n.say) || has(n.source) || has(entry.path));
    });
  }
}

// ---- Lines ---------------------------------------------------------------------------------------------------------------------

// The text of a line in pieces: its words coloured, what an edit changed marked, what is looked for framed.
function text(line) {
  const cuts = new Set([0, line.text.length]);
  const words = line.words || [];
  const marks = line.marks || [];
  for (const [from, to] of [...words, ...marks]) cuts.add(from).add(to);
  const found = [];
  if (filter.word) {
    const low = line.text.toLowerCase();
    for (let at = low.indexOf(filter.word); at >= 0; at = low.indexOf(filter.word, at + filter.word.length)) {
      found.push([at, at + filter.word.length]);
      cuts.add(at).add(at + filter.word.length);
    }
  }
  if (cuts.size === 2 && words.length + marks.length + found.length === 0) return [seen(line.text)];
  const at = [...cuts].filter((n) => n <= line.text.length).sort((a, b) => a - b);
  const covers = (list, n) => list.find(([from, to]) => from <= n && n < to);
  const out = [];
  for (let i = 0; i + 1 < at.length; i += 1) {
    let node = document.createTextNode(seen(line.text.slice(at[i], at[i + 1])));
    const word = covers(words, at[i]);
    if (word) node = el("span", { class: `w-${word[2]}` }, node);
    if (covers(marks, at[i])) node = el("mark", null, node);
    if (covers(found, at[i])) node = el("span", { class: "found" }, node);
    out.push(node);
  }
  return out;
}
const SIGN = { same: " ", removed: "\u2212", added: "+" };
const ASIDE = { same: "", removed: "removed: ", added: "added: " };
function cells(line, no) {
  const kind = line ? line.kind : "nothing";
  if (!line) return [el("td", { class: "no nothing" }), el("td", { class: "sign nothing" }), el("td", { class: "nothing" })];
  return [
    el("td", { class: `no ${kind}` }, String(no)),
    el("td", { class: `sign ${kind}`, "aria-hidden": "true" }, SIGN[kind]),
    el("td", { class: kind }, ASIDE[kind] && el("span", { class: "aside" }, ASIDE[kind]), text(line), line.unfinished && el("span", { class: "end" }, " (the file ends without a line end)")),
  ];
}
// Lines of a hunk, from one to another; `side` puts what goes beside what comes.
// Lines that are not the subject read as they will be.
function table(hunk, from, to, numbers, side, subject) {
  const body = el("tbody");
  const line = (i) => {
    const l = hunk.lines[i];
    return !subject && l.kind === "added" ? { text: l.text, words: l.words, kind: "same" } : l;
  };
  if (!side) {
    for (let i = from; i < to; i += 1) {
      if (!subject && line(i).kind === "removed") continue;
      const { old, now } = numbers[i];
      const no = line(i).kind === "removed" ? old : now;
      body.append(el("tr", null, ...cells(line(i), no)));
    }
  } else {
    let i = from;
    while (i < to) {
      if (!subject && line(i).kind === "removed") {
        i += 1;
        continue;
      }
      if (line(i).kind === "same") {
        body.append(el("tr", null, ...cells(line(i), numbers[i].old), ...cells(line(i), numbers[i].now)));
        i += 1;
        continue;
      }
      const gone = [];
      const come = [];
      while (i < to && line(i).kind !== "same") {
        (line(i).kind === "removed" ? gone : come).push(i);
        i += 1;
      }
      for (let k = 0; k < Math.max(gone.length, come.length); k += 1) {
        const g = gone[k];
        const c = come[k];
        body.append(el("tr", null,
          ...cells(g === undefined ? null : line(g), g === undefined ? 0 : numbers[g].old),
          ...cells(c === undefined ? null : line(c), c === undefined ? 0 : numbers[c].now)));
      }
    }
  }
  const columns = side ? ["no", "sign", "", "no", "sign", ""] : [];
  const head = el("colgroup", null, columns.map((c) => el("col", { class: c || false })));
  return el("div", { class: "lines" }, el("table", { class: side ? "diff both" : "diff", role: "presentation" }, head, body));
}
const numbered = new WeakMap();
function numbersOf(hunk) {
  if (!numbered.has(hunk)) numbered.set(hunk, countLines(hunk));
  return numbered.get(hunk);
}
function countLines(hunk) {
  let old = Math.max(hunk.old_start, 1);
  let now = Math.max(hunk.new_start, 1);
  return hunk.lines.map((l) => {
    const here = { old, now };
    if (l.kind !== "added") old += 1;
    if (l.kind !== "removed") now += 1;
    return here;
  });
}

// ---- What stands above changed lines --------------------------------------------------------------------------------------

function why(edits) {
  const facts = [];
  for (const e of edits) for (const f of e.evidence) if (!facts.includes(f.text)) facts.push(f.text);
  const items = facts.map((f) => el("li", null, seen(f)));
  const options = edits.flatMap((e) => (e.options || []).map((o) => ({ o, picked: e.picked === o.label })));
  for (const { o, picked } of options) {
    items.push(el("li", null, picked ? "picked: " : "to choose: ", el("code", null, seen(o.label)), o.why ? ` (${seen(o.why)})` : ""));
  }
  const step = steps.find((s) => stepName(s) === stepName(edits[0]));
  if (step && step.why) items.unshift(el("li", null, seen(step.why)));
  if (items.length === 0) return null;
  return el("details", null, el("summary", null, "why"), el("ul", null, items));
}
function headings(edits, entry, headed) {
  const own = edits.filter((e) => !e.derived);
  if (own.length === 0) {
    const of = [...new Set(edits.map((e) => e.step))].join(", ");
    return [el("div", { class: "heading" }, of ? `${of}: follows from its other edits` : "brought into form by a command of the project")];
  }
  const groups = new Map();
  for (const e of own) {
    const key = [stepName(e), e.certainty, stateOf(e, entry.applied), e.caution || "", e.evidence.map((f) => f.text).join("\n")].join("\n");
    if (!groups.has(key)) groups.set(key, []);
    groups.get(key).push(e);
  }
  return [...groups.values()].map((all) => {
    const e = all[0];
    if (headed && all.every((x) => headed.has(x.id))) {
      return el("div", { class: "heading", tabindex: "-1" }, el("span", { class: "id" }, all.map((x) => short(x.id)).join(" ")), ` ${seen(e.step)} goes on`);
    }
    if (headed) all.forEach((x) => headed.add(x.id));
    const state = stateOf(e, entry.applied);
    const what = e.file ? (e.file === "create" ? "is created" : e.file === "delete" ? "is deleted" : `becomes ${entry.path}`) : "";
    return el("div", { class: "heading", tabindex: "-1" },
      el("span", { class: "id" }, all.map((x) => short(x.id)).join(" ")), " ",
      el("span", { class: "step" }, seen(e.step)), " · ",
      el("span", { class: `sure ${e.certainty}` }, `place: ${e.certainty}`),
      state === "applied" ? "" : ` · ${state}`,
      what && ` · ${what}`,
      why(all),
      e.caution && el("div", { class: "caution" }, `Caution: ${seen(e.caution)}`));
  });
}

// ---- Files -----------------------------------------------------------------------------------------------------------------------

const view = { side: false, folded: new Set() };
const LINE = 19;
const narrow = matchMedia("(max-width: 800px)");
const sideBySide = () => view.side && !narrow.matches;

// Blocks that are drawn when they come near: a block is some hunks of a file.
const BLOCK = 80;
const MOST = 20;
const watcher = new IntersectionObserver((seenNow) => {
  for (const s of seenNow) if (s.isIntersecting) draw(s.target);
}, { rootMargin: "1200px 0px" });
const drawers = new WeakMap();
function draw(block) {
  const drawer = drawers.get(block);
  if (!drawer) return;
  drawers.delete(block);
  watcher.unobserve(block);
  block.style.minHeight = "";
  block.append(...drawer());
}
let printing = false;
function drawAll() {
  document.querySelectorAll(".block").forEach(draw);
  document.querySelectorAll(".heading details").forEach((d) => { d.open = true; });
}
// The hunks of a file with changes that are shown, with the lines around these only where the filter leaves others out.
function piecesOf(entry) {
  const out = [];
  const byHunk = new Map();
  for (const c of entry.shown) {
    if (!byHunk.has(c.hunk)) byHunk.set(c.hunk, []);
    byHunk.get(c.hunk).push(c);
  }
  for (const [h, all] of byHunk) {
    const hunk = entry.file.hunks[h];
    const whole = all.length === (hunk.runs || []).length;
    const first = whole ? 0 : Math.max(0, all[0].from - 3);
    const end = whole ? hunk.lines.length : Math.min(hunk.lines.length, all[all.length - 1].to + 3);
    // A hunk of many changes is several pieces, so that none takes long to draw.
    let from = first;
    for (let i = 0; i < all.length; i += MOST) {
      const changes = all.slice(i, i + MOST);
      const to = i + MOST < all.length ? changes[changes.length - 1].to : end;
      out.push({ hunk, changes, from, to, goesOn: i > 0 });
      from = to;
    }
  }
  return out;
}
function hunkNodes(piece, entry) {
  const { hunk, changes, from, to } = piece;
  const numbers = numbersOf(hunk);
  const headed = new Set();
  const out = piece.goesOn ? [] : [el("div", { class: "gap" }, `line ${numbers[from] ? numbers[from].now : hunk.new_start}`)];
  let at = from;
  for (const c of changes) {
    if (c.from > at) out.push(table(hunk, at, c.from, numbers, sideBySide(), false));
    const heads = headings(c.edits, entry, headed);
    heads[0].dataset.change = "1";
    out.push(...heads, table(hunk, c.from, c.to, numbers, sideBySide(), true));
    at = c.to;
  }
  if (at < to) out.push(table(hunk, at, to, numbers, sideBySide(), false));
  return out;
}
function whatOf(file) {
  if (file.created) return "created";
  if (file.deleted) return "deleted";
  if (file.to) return `moved from ${file.path}`;
  return "";
}
function section(entry) {
  const { file } = entry;
  const n = entry.shown.length + entry.shownAlone.length;
  const folded = view.folded.has(entry.index);
  const button = el("button", { type: "button", "aria-expanded": String(!folded), "aria-controls": `body-${entry.index}` }, folded ? "Unfold" : "Fold");
  const body = el("div", { class: "body", id: `body-${entry.index}` });
  const out = el("section", { class: folded ? "file folded" : "file", id: `file-${entry.index}`, "aria-labelledby": `title-${entry.index}`, tabindex: "-1" },
    el("div", { class: "head" },
      el("h2", { id: `title-${entry.index}` }, seen(entry.path)),
      el("span", { class: "what" }, [whatOf(file), count(n, "change"), entry.applied ? "applied" : "proposed"].filter(Boolean).join(", ")),
      button),
    body);
  button.addEventListener("click", () => fold(entry, !view.folded.has(entry.index)));
  for (const e of entry.shownAlone) {
    const heads = headings([e], entry);
    heads[0].dataset.change = "1";
    body.append(...heads);
  }
  let block = [];
  let lines = 0;
  const close = () => {
    if (block.length === 0) return;
    const pieces = block;
    const node = el("div", { class: "block" });
    node.style.minHeight = `${lines * LINE}px`;
    drawers.set(node, () => pieces.flatMap((p) => hunkNodes(p, entry)));
    body.append(node);
    if (!folded) watcher.observe(node);
    block = [];
    lines = 0;
  };
  for (const piece of piecesOf(entry)) {
    block.push(piece);
    lines += piece.to - piece.from + 1 + piece.changes.length * 2;
    if (lines > BLOCK) close();
  }
  close();
  for (const note of entry.shownNotes) {
    body.append(el("div", { class: "note" }, el("strong", null, "note "), el("span", { class: "code" }, short(note.id)), ` line ${note.line}: ${seen(note.say)}`));
  }
  return out;
}
function fold(entry, folded) {
  if (folded) view.folded.add(entry.index);
  else view.folded.delete(entry.index);
  const node = byId(`file-${entry.index}`);
  if (!node) return;
  node.classList.toggle("folded", folded);
  const button = node.querySelector(".head button");
  button.textContent = folded ? "Unfold" : "Fold";
  button.setAttribute("aria-expanded", String(!folded));
  if (!folded) node.querySelectorAll(".block").forEach((b) => drawers.has(b) && watcher.observe(b));
}

// ---- All that depends on the filters and the view ----------------------------------------------------------------------------

let current = -1;
function redraw() {
  recount();
  watcher.disconnect();
  const list = files.filter((f) => f.shown.length + f.shownAlone.length + f.shownNotes.length > 0);
  byId("changes").replaceChildren(...list.map(section));
  byId("files").replaceChildren(...list.map((f) => {
    const at = f.path.lastIndexOf("/") + 1;
    const name = el("span", { class: "path" }, seen(f.path.slice(at)), at > 0 && el("span", { class: "folder" }, seen(f.path.slice(0, at))));
    return el("li", null, el("a", { href: `#file-${f.index}` }, name, el("span", { class: "n" }, String(f.shown.length + f.shownAlone.length || "note"))));
  }));
  const n = list.reduce((sum, f) => sum + f.shown.length + f.shownAlone.length, 0);
  byId("count").textContent = `${count(n, "change")} in ${count(new Set(list.map((f) => f.path)).size, "file")}${anyFilter() ? " fit the filters" : ""}`;
  byId("none").hidden = list.length > 0 || !anyFilter();
  byId("overview").hidden = anyFilter();
  current = -1;
  if (printing) drawAll();
}
let waiting = 0;
function soon() {
  clearTimeout(waiting);
  waiting = setTimeout(redraw, 120);
}
function boxes(id, items, set) {
  const field = byId(id);
  field.hidden = items.length < 2;
  for (const { value, label, n } of items) {
    const box = el("input", { type: "checkbox", value });
    box.addEventListener("change", () => {
      if (box.checked) set.add(value);
      else set.delete(value);
      redraw();
    });
    field.append(el("label", null, box, el("span", null, seen(label)), el("span", { class: "n" }, String(n))));
  }
}
function begin() {
  const all = files.flatMap((f) => f.file.edits.filter((e) => !e.derived && e.standing === "in").map((e) => ({ e, f })));
  const tally = (of) => {
    const out = new Map();
    for (const { e, f } of all) out.set(of(e, f), (out.get(of(e, f)) || 0) + 1);
    return out;
  };
  const bySteps = tally((e) => stepName(e));
  const several = new Set(steps.map((s) => s.recipe)).size > 1;
  boxes("by-step", steps.filter((s) => bySteps.has(stepName(s))).map((s) => ({ value: stepName(s), label: several ? stepName(s) : s.step, n: bySteps.get(stepName(s)) })), filter.steps);
  const byCertainty = tally((e) => e.certainty);
  boxes("by-certainty", ["certain", "likely", "unsure"].filter((c) => byCertainty.has(c)).map((c) => ({ value: c, label: c, n: byCertainty.get(c) })), filter.certainty);
  const byState = tally((e, f) => stateOf(e, f.applied));
  boxes("by-state", ["applied", "accepted", "undecided", "rejected"].filter((s) => byState.has(s)).map((s) => ({ value: s, label: s, n: byState.get(s) })), filter.state);
  byId("sum").textContent = `${data.project}: ${count(all.length, "edit")}, ${count(data.files.length, "file")}`;
  overview(bySteps);
  redraw();
}

// ---- The overview ---------------------------------------------------------------------------------------------------------------

const rows = (head, all) =>
  el("div", { class: "wide" }, el("table", null, el("thead", null, el("tr", null, head.map((h) => el("th", { scope: "col", class: h.number ? "number" : false }, h.text)))), el("tbody", null, all)));
const head = (text, number) => ({ text, number });
function verified(v) {
  if (!v) return [el("p", null, "The project's check was not run.")];
  const result = (r) => (r.passed ? el("span", { class: "good" }, "passed") : el("span", { class: "bad" }, `failed${r.code === undefined ? "" : `, exit code ${r.code}`}, ${count(r.problems.length, "error")}`));
  const out = [el("p", null, el("code", null, seen(v.command)))];
  const list = el("ul", null, el("li", null, "before the edits: ", v.before ? result(v.before) : "not run"));
  if (v.after) list.append(el("li", null, v.ahead ? "with the edits, in a copy: " : "with the edits: ", result(v.after)));
  const guilty = v.findings && v.findings.blame === "steps" ? v.findings.guilty : [];
  for (const g of guilty) list.append(el("li", { class: "bad" }, `the step ${seen(g.step)} breaks the check: without it ${count(g.problems, "error")} less`));
  out.push(list);
  if (v.new && v.new.length > 0) {
    const near = { edit: (p) => `step ${p.step}`, note: () => "a note stands there", leftover: () => "the old API is left there", "changed-file": () => "elsewhere in a file with edits", "untouched-file": () => "a file without edits", nowhere: () => "" };
    out.push(el("p", null, `${count(v.new.length, "new error")}:`), el("ul", null, v.new.map((p) =>
      el("li", null, el("code", null, p.path ? `${seen(p.path)}${p.line ? `:${p.line}` : ""}` : "no place"), ` ${p.code ? `${seen(p.code)} ` : ""}${seen(p.message)}`, near[p.near](p) && ` (${seen(near[p.near](p))})`))));
  }
  return out;
}
function overview(bySteps) {
  const out = byId("overview");
  const parts = [el("h2", { id: "overview-title" }, "Overview")];
  const recipes = new Map();
  for (const { run } of runs) for (const r of run.recipes) recipes.set(r.id, r);
  for (const r of recipes.values()) {
    const way = r.from || r.to ? `: ${r.library || ""}${r.from ? ` from ${r.from}` : ""}${r.to ? ` to ${r.to}` : ""}` : "";
    parts.push(el("p", null, el("code", null, seen(r.id)), seen(way)));
  }
  const table = steps.filter((s) => bySteps.has(stepName(s))).map((s) =>
    el("tr", null, el("th", { scope: "row" }, el("code", null, seen(s.step))), el("td", { class: "number" }, String(bySteps.get(stepName(s)))),
      el("td", null, seen(s.title), s.caution && el("div", { class: "caution" }, `Caution: ${seen(s.caution)}`)), el("td", null, s.why ? seen(s.why) : "")));
  if (table.length > 0) parts.push(rows([head("step"), head("edits", true), head("what it does"), head("why")], table));
  if (data.libraries.length > 0) {
    const versions = (all) => (all.length === 0 ? "\u2013" : all.join(", "));
    parts.push(el("h3", null, "Dependencies"), rows([head("library"), head("before"), head("after")], data.libraries.map((l) =>
      el("tr", null, el("th", { scope: "row" }, el("code", null, seen(`${l.ecosystem}:${l.coordinate}`))), el("td", null, seen(versions(l.before))), el("td", null, seen(versions(l.after)))))));
  }
  parts.push(el("h3", null, "Verification"), ...verified(data.verified));
  const left = [
    ...data.left.notes.map((n) => [n.path ? `${n.path}:${n.line}` : "the step itself", n.say]),
    ...data.left.leftovers.map((l) => [`${l.path}:${l.line}`, `${l.symbol} is left${l.advice ? `: ${l.advice}` : ""}`]),
    ...data.left.held_back.map((e) => [`${e.path}:${e.line}`, `an edit of ${e.step} is held back: ${e.because}`]),
  ];
  if (left.length > 0) {
    parts.push(el("h3", null, `Left to do: ${count(left.length, "place")}`), el("ul", null, left.map(([at, say]) => el("li", null, el("code", null, seen(at)), ` ${seen(say)}`))));
  }
  out.replaceChildren(...parts);
}

// ---- Keys and buttons ---------------------------------------------------------------------------------------------------------

function reach(node) {
  node.scrollIntoView({ block: "start" });
  node.focus({ preventScroll: true });
}
// To the next or previous change: blocks on the way are drawn first, so that it has a place.
function go(by) {
  const entries = [...document.querySelectorAll(".file:not(.folded)")];
  for (const file of entries) {
    const box = file.getBoundingClientRect();
    if (box.bottom > -innerHeight && box.top < 3 * innerHeight) file.querySelectorAll(".block").forEach((b) => {
      const at = b.getBoundingClientRect();
      if (at.bottom > -2 * innerHeight && at.top < 3 * innerHeight) draw(b);
    });
  }
  const all = [...document.querySelectorAll("[data-change]")].filter((n) => n.offsetParent !== null);
  if (all.length === 0) return;
  const now = document.querySelector(".heading.now");
  let at = now ? all.indexOf(now) + by : all.findIndex((n) => n.getBoundingClientRect().top > 60);
  if (at < 0) at = by > 0 ? all.length - 1 : 0;
  at = Math.min(Math.max(at, 0), all.length - 1);
  if (now) now.classList.remove("now");
  all[at].classList.add("now");
  reach(all[at]);
}
function goFile(by) {
  const all = [...document.querySelectorAll(".file")];
  if (all.length === 0) return;
  current = Math.min(Math.max(current + by, 0), all.length - 1);
  reach(all[current]);
}
function fileHere() {
  const focus = document.activeElement && document.activeElement.closest(".file");
  const near = [...document.querySelectorAll(".file")].find((f) => f.getBoundingClientRect().bottom > 80);
  const node = focus || near;
  return node && files[Number(node.id.slice(5))];
}
// What was in focus may be folded away with the file: the file itself takes it.
function foldHere(folded) {
  const entry = fileHere();
  if (!entry) return;
  byId(`file-${entry.index}`).focus({ preventScroll: true });
  fold(entry, folded);
}
function turnView() {
  view.side = !view.side;
  byId("view").setAttribute("aria-pressed", String(view.side));
  redraw();
}
function leave() {
  filter.word = "";
  byId("find").value = "";
  for (const set of [filter.steps, filter.certainty, filter.state]) set.clear();
  document.querySelectorAll("#filters input[type=checkbox]").forEach((b) => { b.checked = false; });
  redraw();
}
function toggleHelp() {
  byId("keys").hidden = !byId("keys").hidden;
  byId("help").setAttribute("aria-expanded", String(!byId("keys").hidden));
}
const KEYS = {
  n: () => go(1), p: () => go(-1), j: () => goFile(1), k: () => goFile(-1), v: turnView,
  y: () => {
    const now = document.querySelector(".heading.now") || document.querySelector("[data-change]");
    const details = now && now.querySelector("details");
    if (details) details.open = !details.open;
  },
  "-": () => foldHere(true),
  "+": () => foldHere(false),
  "/": () => byId("find").focus(),
  f: () => (document.querySelector("#filters input[type=checkbox]") || byId("find")).focus(),
  "?": toggleHelp,
};
document.addEventListener("keydown", (event) => {
  const typing = event.target.matches && event.target.matches("input[type=search]");
  if (event.key === "Escape") {
    if (typing) byId("main").focus();
    else leave();
    return;
  }
  if (typing || event.ctrlKey || event.metaKey || event.altKey) return;
  const act = KEYS[event.key];
  if (!act) return;
  event.preventDefault();
  act();
});
byId("find").addEventListener("input", (event) => {
  filter.word = event.target.value.trim().toLowerCase();
  soon();
});
byId("filters").addEventListener("submit", (event) => event.preventDefault());
byId("clear").addEventListener("click", leave);
byId("view").addEventListener("click", turnView);
byId("help").addEventListener("click", toggleHelp);
byId("fold").addEventListener("click", () => {
  const all = view.folded.size < files.length;
  for (const f of files) fold(f, all);
  byId("fold").textContent = all ? "Unfold all" : "Fold all";
});
const theme = byId("theme");
function setTheme(name) {
  document.documentElement.dataset.theme = name;
  theme.textContent = name === "dark" ? "Light" : "Dark";
}
theme.addEventListener("click", () => setTheme(document.documentElement.dataset.theme === "dark" ? "light" : "dark"));
setTheme(matchMedia("(prefers-color-scheme: dark)").matches ? "dark" : "light");
narrow.addEventListener("change", () => { if (view.side) redraw(); });
// What sticks to the top of the window sticks below the header.
const atTop = () => document.documentElement.style.setProperty("--top", narrow.matches ? "0px" : `${document.querySelector("header").offsetHeight}px`);
addEventListener("resize", atTop);
atTop();
// A page that is printed shows all of it, also where paper is narrow.
addEventListener("beforeprint", () => {
  printing = true;
  drawAll();
});
addEventListener("afterprint", () => { printing = false; });
begin();
