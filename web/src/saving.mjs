// A figure as a file: SVG and PNG as it is drawn, CSV of the numbers behind it.

const NAMES = ["paper", "ink", "quiet", "grid", "mark", "good", ...Array.from({ length: 8 }, (_, at) => `accent-${at}`)];
const SHARPER = 2; // Pixels of a PNG a pixel on the screen.

/** @param {SVGSVGElement} svg @returns {string} a file of its own, in the colours that it has now */
function standalone(svg) {
  const copy = /** @type {SVGSVGElement} */ (svg.cloneNode(true)), colors = getComputedStyle(document.documentElement);
  const { width, height } = svg.getBoundingClientRect();
  copy.setAttribute("xmlns", "http://www.w3.org/2000/svg");
  copy.setAttribute("width", String(width));
  copy.setAttribute("height", String(height));
  copy.setAttribute("style", `${NAMES.map((name) => `--${name}: ${colors.getPropertyValue(`--${name}`).trim()}`).join("; ")}; background: var(--paper)`);
  for (const one of copy.querySelectorAll(".cross")) one.remove();
  return new XMLSerializer().serializeToString(copy);
}

/** @param {string} name @param {Blob} content */
function download(name, content) {
  const link = document.createElement("a"), address = URL.createObjectURL(content);
  link.href = address;
  link.download = name;
  link.click();
  setTimeout(() => URL.revokeObjectURL(address), 1000);
}

/** @param {SVGSVGElement} svg @param {string} name */
export function saveSvg(svg, name) {
  download(`${name}.svg`, new Blob([standalone(svg)], { type: "image/svg+xml" }));
}

/** @param {SVGSVGElement} svg @param {string} name */
export async function savePng(svg, name) {
  const { width, height } = svg.getBoundingClientRect(), image = new Image();
  image.src = `data:image/svg+xml;charset=utf-8,${encodeURIComponent(standalone(svg))}`;
  await image.decode();
  const canvas = Object.assign(document.createElement("canvas"), { width: SHARPER * width, height: SHARPER * height });
  canvas.getContext("2d")?.drawImage(image, 0, 0, canvas.width, canvas.height);
  canvas.toBlob((content) => { if (content) download(`${name}.png`, content); });
}

/** @param {string[]} heads @param {(string | number | null)[][]} rows @returns {string} rows as RFC 4180 has them */
export function csvOf(heads, rows) {
  const cell = (/** @type {string | number | null} */ value) => {
    const text = value === null ? "" : String(value);
    // A spreadsheet would take text that begins so for a formula.
    const safe = typeof value === "string" && /^[=+\-@\t\r]/.test(text) ? `'${text}` : text;
    return /[",\n\r]/.test(safe) ? `"${safe.replaceAll('"', '""')}"` : safe;
  };
  return [heads, ...rows].map((row) => row.map(cell).join(",")).join("\r\n") + "\r\n";
}

/** @param {string[]} heads @param {(string | number | null)[][]} rows @param {string} name */
export function saveCsv(heads, rows, name) {
  download(`${name}.csv`, new Blob([csvOf(heads, rows)], { type: "text/csv" }));
}
