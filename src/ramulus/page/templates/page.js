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
