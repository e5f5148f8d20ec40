// A live page: content comes anew when the server says so, figures when they are looked at, and sliders try constants.
const base = location.pathname;
const part = (name) => document.getElementById("live-" + name);
let version = Number(document.body.dataset.version), latest = null, replacing = false, asked = 0;

async function send(path, body) {
  const answer = await fetch(base + path, { method: "POST", headers: { "content-type": "application/json" }, body: JSON.stringify(body) });
  if (!answer.ok) part("notice").textContent = await answer.text();
}

// --- figures: those in sight, one after another ---
const waiting = [];
let drawing = false;
const sight = new IntersectionObserver((entries) => {
  for (const entry of entries) {
    if (!entry.isIntersecting) continue;
    sight.unobserve(entry.target);
    waiting.push(entry.target);
  }
  drawNext();
}, { rootMargin: "300px" });

async function drawNext() {
  if (drawing) return;
  drawing = true;
  while (waiting.length) {
    const figure = waiting.shift();
    if (!figure.isConnected) continue;
    try {
      const path = "figure/" + encodeURIComponent(figure.dataset.figure) + "?version=" + version;
      const answer = await fetch(base + path);
      if (answer.status !== 200 || !figure.isConnected) continue;
      const unfolded = figure.querySelector("details[open]") !== null;
      figure.innerHTML = await answer.text();
      if (unfolded) figure.querySelector("details")?.setAttribute("open", "");
      figure.classList.remove("later");
      figure.removeAttribute("aria-busy");
    } catch { /* The server is gone, and says so below. */ }
  }
  drawing = false;
}
const lookFor = () => document.querySelectorAll("figure.later").forEach((figure) => sight.observe(figure));

// --- content: what was open stays open, and an old figure stays until the new one is there ---
const foldOf = (details) => (details.closest("section")?.id ?? "") + "/" + (details.querySelector("summary")?.textContent ?? "");
async function replace() {
  const answer = await fetch(base + "content");
  if (!answer.ok) return;
  const text = await answer.text(), content = document.getElementById("content");
  const open = new Set(Array.from(content.querySelectorAll("details[open]"), foldOf));
  const old = new Map(Array.from(content.querySelectorAll("figure:has(svg)"), (figure) => [figure.id, figure.innerHTML]));
  const top = scrollY;
  content.innerHTML = text;
  for (const details of content.querySelectorAll("details")) details.open = open.has(foldOf(details));
  for (const figure of content.querySelectorAll("figure.later")) if (old.has(figure.id)) figure.innerHTML = old.get(figure.id);
  scrollTo(0, top);
  version = Number(answer.headers.get("x-version"));
  document.body.dataset.version = version;
  lookFor();
}

// --- sliders ---
let timer = 0;
function written(value) { return Number(value.toPrecision(12)); }
function tryAll() {
  clearTimeout(timer);
  const mine = ++asked;
  timer = setTimeout(() => {
    const values = {};
    for (const row of part("sliders").children) {
      const number = row.querySelector("input[type=number]");
      if (number.value !== "" && Number.isFinite(number.valueAsNumber)) values[row.dataset.name] = written(number.valueAsNumber);
    }
    if (mine === asked) send("try", values);
  }, 120);
}
function rowOf(slider) {
  const row = document.createElement("div"), label = document.createElement("label");
  const range = document.createElement("input"), number = document.createElement("input"), was = document.createElement("span");
  row.dataset.name = slider.name;
  label.textContent = slider.name;
  label.htmlFor = range.id = "slider-" + slider.name;
  Object.assign(range, { type: "range", min: slider.low, max: slider.high, step: slider.step });
  Object.assign(number, { type: "number", step: "any" });
  number.setAttribute("aria-label", slider.name + ", as a number");
  was.className = "note";
  range.addEventListener("input", () => { number.value = written(range.valueAsNumber); tryAll(); });
  number.addEventListener("input", () => { if (number.value !== "") range.value = number.value; tryAll(); });
  row.append(label, range, number, was);
  return row;
}
function showSliders(state) {
  const box = part("sliders"), shape = JSON.stringify(state.sliders);
  if (box.dataset.shape !== shape) {
    box.replaceChildren(...state.sliders.map(rowOf));
    box.dataset.shape = shape;
  }
  part("try").hidden = state.sliders.length === 0;
  for (const [index, slider] of state.sliders.entries()) {
    const row = box.children[index], [range, number] = row.querySelectorAll("input");
    const value = state.trial[slider.name] ?? slider.value;
    // Whoever is moving it has the newer value.
    if (!row.contains(document.activeElement)) { range.value = value; number.value = value; }
    row.querySelector("span").textContent = "file: " + slider.value;
  }
}

// --- what the server says ---
async function take(state) {
  part("state").textContent = state.working ? "Playing …" : `Follows ${state.file} as it is saved.`;
  part("notice").textContent = state.notice;
  document.documentElement.classList.toggle("working", state.working);
  const lines = state.errors.map((line) => Object.assign(document.createElement("li"), { textContent: line }));
  part("errors").querySelector("ul").replaceChildren(...lines);
  part("errors").querySelector("strong").textContent = Object.keys(state.trial).length
    ? "These values are refused; the page shows what it was before." : "The file has a mistake; the page shows what it was before.";
  part("errors").hidden = lines.length === 0;
  const trial = Object.entries(state.trial).map(([name, value]) => `${name} = ${value}`).join(", ");
  part("choice").hidden = trial === "";
  part("trial").textContent = "Trying " + trial;
  part("keep").textContent = "Keep in " + state.file;
  part("keep").disabled = lines.length > 0;
  showSliders(state);
  if (latest === null && trial !== "") part("try").open = true;
  latest = state;
  if (replacing) return;
  replacing = true;
  while (latest.version !== version) await replace();
  replacing = false;
}
part("keep").addEventListener("click", () => send("keep", {}));
part("undo").addEventListener("click", () => { document.activeElement?.blur(); send("try", {}); });
const events = new EventSource(base + "events");
events.onmessage = (event) => take(JSON.parse(event.data));
events.onerror = () => { part("state").textContent = "The server has ended; this page does not follow the file any more."; };
lookFor();
