// A served report: content comes anew when the server says so, and figures when they are looked at.
const base = location.pathname.replace(/report$/, "");
const part = (name) => document.getElementById("live-" + name);
let version = Number(document.body.dataset.version), latest = null, replacing = false;

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

// --- what the server says ---
async function take(state) {
  part("state").textContent = state.working ? "Playing …" : "Follows what the bench shows.";
  document.documentElement.classList.toggle("working", state.working);
  latest = state;
  if (replacing) return;
  replacing = true;
  while (latest.version !== version) await replace();
  replacing = false;
}
const events = new EventSource(base + "events");
events.onmessage = (event) => take(JSON.parse(event.data));
events.onerror = () => { part("state").textContent = "The server has ended; this page follows nothing any more."; };
lookFor();
