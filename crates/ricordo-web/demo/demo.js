// The batch sheet: a form bound to the page, and a panel that shows what the form knows.

import load, { Form } from "../module/ricordo.js";

const byId = (id) => document.getElementById(id);
const read = (name) => fetch(name).then((answer) => answer.text());
const [definition, data] = await Promise.all([read("batch-sheet.form.json"), read("batch-sheet.data.json"), load()]);

// The ovens that are heated today come from elsewhere, at run time.
const OVENS = [
  { value: "deck", label: "Deck oven" },
  { value: "rack", label: "Rack oven" },
  { value: "stone", label: "Stone oven" },
];

/** The journal, a line for each action: those before the present, and those that the slider has gone back from. */
let lines = [];
/** How many of the lines have happened. */
let present = 0;
/** How many lines the form had when it was made, which belong to no action of a person. */
let given = 0;
/** What is known of an action beside its line: what it changed, and who was called. */
let known = [];

let form;
let bound;
let causes = [];
let counts = new Map();

/** Makes the form as it was after so many actions, and binds the page to it. */
function travel(to) {
  bound?.end();
  form = new Form(definition, data);
  form.setChoices("/oven", OVENS);
  given = journal().length;
  const problems = form.replay(lines.slice(0, to).join("\n"));
  if (problems.length > 0) console.warn(problems);
  present = to;

  form.subscribe("", (change) => causes.push({ by: journal().length - given, cause: change.cause }), "timeline");
  form.subscribe("/ingredients", () => {}, "a label for the ingredients");
  form.subscribe("/total_cost", () => {}, "a label for the cost");
  form.subscribeState(showFlags, "flags");

  bound = form.bind(byId("sheet"), {
    submit: { send: "dirty" },
    async onSubmit(submission) {
      byId("answer").textContent = "Saving …";
      // As long as a server would take.
      await new Promise((done) => setTimeout(done, 600));
      if (String(form.value("/name")).toLowerCase() === "taken") {
        submission.reject({ title: "Not saved", errors: [{ pointer: "#/name", detail: "Another sheet has this name." }] });
        byId("answer").textContent = "";
        return;
      }
      submission.accept();
      byId("answer").textContent = "Saved.";
    },
  });
  causes = [];
  counts = countsNow();
  showFlags(form.state());
  show();
  // To be tried in the console.
  Object.assign(window, { form, bound });
}

const journal = () => form.journal().split("\n").filter(Boolean);

const keyOf = (report) => `${report.name ?? ""} ${report.path ?? ""}`.trim() || "a selector";

/** How often subscribers were called: those that are alike together. */
function countsNow() {
  const counts = new Map();
  for (const report of form.subscribers()) {
    const sum = counts.get(keyOf(report)) ?? { considered: 0, called: 0 };
    counts.set(keyOf(report), { considered: sum.considered + report.considered, called: sum.called + report.called });
  }
  return counts;
}

/** Takes in what has happened since. */
function follow() {
  const happened = journal().slice(given);
  if (happened.length > present) {
    const now = countsNow();
    const called = [...now].filter(([key, count]) => count.called > (counts.get(key)?.called ?? 0)).map(([key]) => key);
    // Acting in the past discards the actions ahead.
    lines = happened;
    known = known.slice(0, present);
    present = happened.length;
    noteCauses();
    known[present - 1] = { causes: [], ...known[present - 1], called };
    counts = now;
  } else if (happened.length < present) {
    // Typing in one field is one line, whatever became of it.
    lines = happened;
    present = happened.length;
  } else if (causes.length > 0) {
    lines = [...happened, ...lines.slice(present)];
    noteCauses();
  }
  causes = [];
  show();
}

/** Notes what each action has changed. */
function noteCauses() {
  for (const { by, cause } of causes) {
    const index = Math.min(by, present) - 1;
    if (index < 0) continue;
    const before = known[index] ?? { called: [] };
    known[index] = { ...before, causes: [...(before.causes ?? []), cause] };
  }
}

/** An action in words. */
function words(line) {
  const { op, path, from, text, value, name, to } = JSON.parse(line);
  const parts = [op];
  if (name) parts.push(`“${name}”`);
  if (from) parts.push(from, "to");
  if (path) parts.push(path);
  if (to) parts.push("to", to);
  if (text !== undefined) parts.push(`“${text}”`);
  if (value !== undefined) parts.push(JSON.stringify(value));
  return parts.join(" ");
}

function element(tag, text, attributes = {}) {
  const made = document.createElement(tag);
  made.textContent = text;
  for (const [name, value] of Object.entries(attributes)) made.setAttribute(name, value);
  return made;
}

function show() {
  const slider = byId("when");
  slider.max = lines.length;
  slider.value = present;
  byId("when-words").textContent =
    lines.length === 0 ? "Nothing was done yet." : `${present} of ${lines.length} actions have happened.`;

  const timeline = byId("timeline");
  timeline.replaceChildren(
    ...lines.map((line, index) => {
      const item = element("li", words(line), index < present ? {} : { "data-ahead": "" });
      const details = element("ul", "");
      const { causes = [], called = [] } = known[index] ?? {};
      for (const cause of causes) {
        details.append(...cause.split("\n").slice(1).map((change) => element("li", change.trim())));
      }
      if (called.length > 0) {
        details.append(element("li", `notified: ${called.join(", ")}`, { class: "called" }));
      }
      if (details.children.length > 0) item.append(details);
      return item;
    }).reverse(),
  );

  const last = new Set(known[present - 1]?.called ?? []);
  const rows = [...countsNow()].sort(([, a], [, b]) => b.called - a.called);
  byId("subscribers").replaceChildren(
    ...rows.map(([key, count]) => {
      const row = element("tr", "", last.has(key) ? { "data-called": "" } : {});
      row.append(element("td", key), element("td", count.considered, { class: "number" }), element("td", count.called, { class: "number" }));
      return row;
    }),
  );
  showPayload();
}

function showPayload() {
  byId("payload").textContent = JSON.stringify(form.payload({ send: byId("shape").value }), null, 2);
}

function showFlags(state) {
  const flags = { dirty: state.isDirty, touched: state.isTouched, valid: state.isValid, [state.status]: true };
  byId("flags").replaceChildren(
    ...Object.entries(flags).map(([name, isOn]) => element("span", isOn ? name : `not ${name}`, isOn ? { "data-on": "" } : {})),
  );
}

byId("when").addEventListener("input", (event) => travel(Number(event.target.value)));
byId("shape").addEventListener("change", showPayload);
byId("print").addEventListener("click", () => {
  form.apply({ op: "event", name: "labels printed", value: { name: form.value("/name"), loaves: form.value("/loaves") } });
});
byId("setter").addEventListener("submit", (event) => {
  event.preventDefault();
  const refusal = byId("refusal");
  try {
    form.set(byId("pointer").value, JSON.parse(byId("json").value));
    refusal.textContent = "";
  } catch (error) {
    refusal.textContent = error.message;
  }
});
const properties = Object.keys(JSON.parse(definition).properties);
byId("pointers").replaceChildren(...properties.map((name) => element("option", "", { value: `/${name}` })));

// The form has settled when these events have gone by.
for (const event of ["input", "change", "click", "focusin", "focusout", "keydown", "submit", "reset"]) {
  document.addEventListener(event, (happened) => {
    if (happened.target.id !== "when") queueMicrotask(follow);
  });
}
setInterval(() => {
  if (causes.length > 0) follow();
}, 250);

travel(0);
document.body.dataset.ready = "";
