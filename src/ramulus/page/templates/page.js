"use strict";
// Tables sort by the column whose head is pressed: numbers by their values, words by the alphabet, empty cells last.
function key(row, column) {
  const cell = row.cells[column];
  return cell.dataset.value === undefined ? null : Number(cell.dataset.value);
}
function compareRows(column, numeric, sign) {
  return (one, other) => {
    if (!numeric) return sign * one.cells[column].textContent.localeCompare(other.cells[column].textContent);
    const [a, b] = [key(one, column), key(other, column)];
    if (a === null || b === null) return (a === null) - (b === null);
    return sign * (a - b);
  };
}
document.addEventListener("click", (event) => {
  const button = event.target.closest("th button");
  if (!button) return;
  const head = button.closest("th"), body = head.closest("table").tBodies[0];
  const up = head.getAttribute("aria-sort") !== "ascending";
  for (const other of head.parentElement.cells) other.removeAttribute("aria-sort");
  head.setAttribute("aria-sort", up ? "ascending" : "descending");
  const rows = Array.from(body.rows);
  rows.sort(compareRows(head.cellIndex, head.classList.contains("number"), up ? 1 : -1));
  body.append(...rows);
});
// Values under the pointer: where axes stand in a figure, and what their ends are, is written on it.
const under = document.createElement("div");
under.id = "under-pointer";
under.hidden = true;
document.body.append(under);
function along(axis, share) {
  const [low, high] = axis.ends;
  return axis.log ? low * (high / low) ** share : low + (high - low) * share;
}
function told(axis, share) {
  const value = along(axis, share), size = Math.abs(value);
  const digits = size >= 100 ? 0 : size >= 10 ? 1 : size >= 1 ? 2 : 3;
  return `${axis.label}: ${value.toLocaleString("en-US", { maximumFractionDigits: digits })}${axis.unit}`;
}
document.addEventListener("pointermove", (event) => {
  const svg = event.target.closest?.("svg[data-axes]");
  under.hidden = true;
  if (!svg) return;
  const at = new DOMPoint(event.clientX, event.clientY).matrixTransform(svg.getScreenCTM().inverse());
  const axes = JSON.parse(svg.dataset.axes).find(({ box }) => at.x >= box[0] && at.x <= box[2] && at.y >= box[1] && at.y <= box[3]);
  if (!axes) return;
  const { box, x, y } = axes;
  under.textContent = `${told(x, (at.x - box[0]) / (box[2] - box[0]))} · ${told(y, (box[3] - at.y) / (box[3] - box[1]))}`;
  under.hidden = false;
  under.style.left = `${Math.min(event.clientX + 14, innerWidth - under.offsetWidth - 4)}px`;
  under.style.top = `${event.clientY + 16}px`;
});
