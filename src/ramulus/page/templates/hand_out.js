// Hand out XP: the exported rule, with buttons and keys. `game` is what an export writes.
const handOut = document.getElementById("hands");
if (handOut) {
  const at = (name) => handOut.querySelector(`[data-hand="${name}"]`);
  let ledger = new game.Leveling();
  const table = () => game.TRACKS[ledger.track];
  const need = () => {
    const cost = table().costs[ledger.level - table().startLevel];
    return cost === undefined ? 0 : Math.max(cost + (table().exceeded ? 1 : 0) - ledger.xp, 0);
  };
  const plain = (value) => value.toLocaleString("en-US", { maximumFractionDigits: 4 });
  function show() {
    at("bar").value = ledger.progress;
    at("label").textContent = ledger.label;
    const stats = Object.keys(game.STATS ?? {}).filter((name) => game.STATS[name] === ledger.track);
    const told = stats.map((name) => `${name} ${plain(ledger.stat(name))}`);
    at("state").textContent = [`${plain(ledger.points)} points`, `${plain(ledger.wasted / table().scale)} XP wasted`, ...told].join(" · ");
    for (const name of ["next", "before"]) at(name).disabled = need() === 0;
    const gates = [...(table().gates?.keys() ?? [])].filter((gate) => !ledger.openGates.includes(gate));
    at("gate").hidden = gates.length === 0;
    at("gate").firstChild.textContent = `Open the gate at ${gates[0]} `;
    at("gate").value = gates[0];
  }
  function say(text) {
    const line = document.createElement("li");
    line.textContent = text;
    at("log").prepend(line);
    while (at("log").childElementCount > 40) at("log").lastElementChild.remove();
  }
  function award(units, why) {
    try {
      const change = ledger.award(units);
      const ups = change.levelAfter - change.levelBefore;
      const more = [ups ? `${ups} level${ups > 1 ? "s" : ""} up` : "", change.wasted ? `${plain(change.wasted / table().scale)} XP wasted` : ""];
      say([`${why}: ${plain(units / table().scale)} XP → ${ledger.label}`, ...more.filter(Boolean)].join(", "));
    } catch (error) {
      say(error.message);
    }
    show();
  }
  const amount = () => Math.round(Number(at("amount").value) * table().scale);
  const acts = {
    award: () => award(amount(), "award"),
    next: () => award(need(), "to the next level"),
    before: () => award(Math.max(need() - table().scale, 0), "1 XP before it"),
    gate: () => {
      const level = Number(at("gate").value);
      ledger.openGate(level);
      say(`the gate at ${level} is open → ${ledger.label}`);
      show();
    },
    lose: () => {
      try {
        ledger.lose(amount());
        say(`loss: ${at("amount").value} XP → ${ledger.label}`);
      } catch (error) {
        say(error.message);
      }
      show();
    },
    anew: () => {
      ledger = new game.Leveling(ledger.track);
      at("log").replaceChildren();
      show();
    },
  };
  function meet(source) {
    const drawn = game.draw(source, ledger.level, Math.random());
    award(game.awardFor(source, ledger.level, drawn, true, {}), source);
  }
  handOut.addEventListener("click", (event) => {
    const button = event.target.closest("button");
    if (!button) return;
    if (button.dataset.source) meet(button.dataset.source);
    else acts[button.dataset.hand]();
  });
  handOut.addEventListener("keydown", (event) => {
    if (event.target.matches("input") ? event.key !== "Enter" : event.ctrlKey || event.metaKey || event.altKey) return;
    const sources = [...handOut.querySelectorAll("[data-source]")];
    const act = { Enter: event.target.matches("input") ? "award" : "", a: "award", n: "next", b: "before", l: "lose", g: "gate" }[event.key];
    if (act && !at(act).disabled && !at(act).hidden) acts[act]();
    else if (sources[event.key - 1]) meet(sources[event.key - 1].dataset.source);
    else return;
    event.preventDefault();
  });
  show();
}
