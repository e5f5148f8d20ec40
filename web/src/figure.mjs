// Draws a figure as SVG: axes, lines, areas, points that can be moved, values under the pointer, zoom.
import { axisBottom, axisLeft } from "d3-axis";
import { drag } from "d3-drag";
import { scaleLinear, scaleLog } from "d3-scale";
import { pointer, select } from "d3-selection";
import { area, line, symbol, symbolCircle, symbolDiamond } from "d3-shape";
import { zoom, zoomIdentity } from "d3-zoom";
import { percent, plain, written } from "./text.mjs";

/** @typedef {import("./spec.mjs").Spec} Spec */
/** @typedef {import("./spec.mjs").Handle} Handle */
/** @typedef {(changes: Record<string, unknown>, done: boolean) => void} Moved called while a point moves, and once it has */

const ROOM = { top: 10, right: 18, bottom: 44, left: 74 };
const COLORS = 8;
const FAST = 10; // Times the step of an arrow key, with Shift.

/** The style of what is inside a figure, so that a saved one looks the same. */
export const STYLE = `
text { font: 13px system-ui, sans-serif; fill: var(--ink); }
.axis path, .axis line { stroke: var(--quiet); fill: none; }
.grid line { stroke: var(--grid); stroke-width: 1; }
.line { fill: none; stroke-width: 2.2; stroke-linejoin: round; }
.line.pale { stroke-width: 1.6; stroke-dasharray: 5 4; opacity: .55; }
.coarse .line:not(.pale) { stroke-width: 1.8; stroke-dasharray: 1.5 2.5; }
.band { opacity: .16; stroke: none; }
.stack { opacity: .8; stroke: var(--paper); stroke-width: .7; }
.cross { stroke: var(--quiet); stroke-dasharray: 2 3; }
.handle { fill: var(--paper); stroke: var(--ink); stroke-width: 2; }
.tone-met { stroke: var(--good); } .tone-missed { stroke: var(--mark); fill: var(--mark); }
`;

/** One figure, drawn anew whenever it is given another spec; its zoom stays until the tab changes. */
export class Figure {
  /** @type {Spec | null} */
  spec = null;
  #coarse = false;
  /** @type {string | null} */
  #held = null;
  /** @type {number | null} */
  #at = null;
  #transform = zoomIdentity;
  #size = { width: 0, height: 0 };

  /**
   * @param {HTMLElement} box
   * @param {HTMLElement} told where values under the pointer are told
   * @param {Moved} moved
   */
  constructor(box, told, moved) {
    this.box = box;
    this.told = told;
    this.moved = moved;
    this.svg = select(box).append("svg").attr("role", "group");
    this.svg.append("style").text(STYLE);
    this.svg.append("clipPath").attr("id", "inside").append("rect");
    for (const name of ["grid", "axis x", "axis y", "inside", "handles"]) this.svg.append("g").attr("class", name);
    this.svg.append("g").attr("class", "labels");
    this.svg.select(".inside").attr("clip-path", "url(#inside)");
    this.zooming = /** @type {import("d3-zoom").ZoomBehavior<any, unknown>} */ (zoom()).scaleExtent([1, 40])
      .filter((event) => event.type !== "dblclick" && (event.type !== "wheel" || event.ctrlKey || event.metaKey || document.activeElement === this.box) && !event.button && !event.target.closest(".handle"))
      .on("zoom", (event) => { this.#transform = event.transform; this.draw(); });
    this.svg.call(this.zooming);
    this.svg.on("pointermove", (event) => this.#point(event)).on("pointerleave", () => { this.#at = null; this.#tell(); });
    // Its size is told, not asked for: to ask while it is drawn has the browser lay the whole page out each time.
    new ResizeObserver(([entry]) => { this.#size = entry.contentRect; this.draw(); }).observe(box);
  }

  /** @param {Spec} spec @param {{coarse?: boolean, anew?: boolean}} how */
  show(spec, { coarse = false, anew = false } = {}) {
    // While a hand moves, axes stay where they are as long as that shows everything well.
    if (coarse && !anew && this.spec?.title === spec.title) for (const axis of /** @type {const} */ (["x", "y"])) steady(this.spec[axis], spec[axis]);
    this.spec = spec;
    this.#coarse = coarse;
    if (anew) this.reset();
    else this.draw();
  }

  reset() {
    this.svg.call(this.zooming.transform, zoomIdentity);
    this.draw();
  }

  /** @param {number} factor */
  zoomBy(factor) {
    this.svg.call(this.zooming.scaleBy, factor);
  }

  #scales() {
    const spec = /** @type {Spec} */ (this.spec), { width, height } = this.#size;
    const right = Math.max(width - ROOM.right, ROOM.left + 50), bottom = Math.max(height - ROOM.bottom, ROOM.top + 50);
    const scale = (/** @type {import("./spec.mjs").Axis} */ axis) => (axis.log ? scaleLog() : scaleLinear()).domain(axis.domain);
    const x = this.#transform.rescaleX(scale(spec.x).range([ROOM.left, right]));
    const y = this.#transform.rescaleY(scale(spec.y).range([bottom, ROOM.top]));
    return { x, y, width, height, right, bottom };
  }

  draw() {
    if (this.spec === null) return;
    const scales = this.#scales(), { width, height, right, bottom } = scales;
    if (width < 60) return;
    this.svg.attr("viewBox", `0 0 ${width} ${height}`).attr("aria-label", this.spec.title).classed("coarse", this.#coarse);
    this.svg.select("#inside rect").attr("x", ROOM.left).attr("y", ROOM.top - 8).attr("width", right - ROOM.left + 8).attr("height", bottom - ROOM.top + 8);
    this.#drawAxes(scales);
    this.#drawLines(scales);
    this.#drawHandles(scales);
    this.#tell();
  }

  /** @param {any} scales */
  #drawAxes({ x, y, right, bottom }) {
    const spec = /** @type {Spec} */ (this.spec);
    const format = (/** @type {import("./spec.mjs").Axis} */ axis) => (/** @type {any} */ value) => axis.percent ? percent(value) : plain(value);
    const few = (/** @type {import("./spec.mjs").Axis} */ axis, /** @type {any} */ scale, /** @type {number} */ count) => axis.log ? scale.ticks(count).filter((/** @type {number} */ tick) => /^[125]0*(e.*)?$/.test(String(tick).replace(/^0\.0*/, ""))) : scale.ticks(count);
    const xs = few(spec.x, x, Math.max(Math.floor((right - ROOM.left) / 80), 2)), ys = few(spec.y, y, 8);
    this.svg.select(".axis.x").attr("transform", `translate(0,${bottom})`).call(/** @type {any} */ (axisBottom(x).tickValues(xs).tickFormat(format(spec.x)).tickSizeOuter(0)));
    this.svg.select(".axis.y").attr("transform", `translate(${ROOM.left},0)`).call(/** @type {any} */ (axisLeft(y).tickValues(ys).tickFormat(format(spec.y)).tickSizeOuter(0)));
    this.svg.select(".grid").selectAll("line").data([...xs.map((/** @type {number} */ at) => [x(at), ROOM.top, x(at), bottom]), ...ys.map((/** @type {number} */ at) => [ROOM.left, y(at), right, y(at)])]).join("line")
      .attr("x1", (one) => one[0]).attr("y1", (one) => one[1]).attr("x2", (one) => one[2]).attr("y2", (one) => one[3]);
    this.svg.select(".labels").selectAll("text").data([[spec.x.label, (ROOM.left + right) / 2, bottom + 38, 0], [spec.y.label, 16, (ROOM.top + bottom) / 2, -90]]).join("text")
      .attr("text-anchor", "middle").attr("transform", (one) => `translate(${one[1]},${one[2]}) rotate(${one[3]})`).text((one) => one[0]);
  }

  /** @param {any} scales */
  #drawLines({ x, y, bottom, right }) {
    const spec = /** @type {Spec} */ (this.spec), inside = this.svg.select(".inside"), up = spec.along === "y";
    const color = (/** @type {{color: number}} */ one) => `var(--accent-${one.color % COLORS})`;
    const drawn = line((one) => x(one[0]), (one) => y(one[1]));
    const banded = up
      ? area().y((/** @type {any} */ one) => y(one[0])).x0((/** @type {any} */ one) => x(one[1])).x1((/** @type {any} */ one) => x(one[2]))
      : area().x((/** @type {any} */ one) => x(one[0])).y0((/** @type {any} */ one) => y(one[1])).y1((/** @type {any} */ one) => y(one[2]));
    inside.selectAll("path.stack").data(spec.areas ?? [], (/** @type {any} */ one) => one.key).join("path").attr("class", "stack").style("fill", color).attr("d", (one) => banded(/** @type {any} */ (one.points)));
    inside.selectAll("path.band").data(spec.lines.filter((one) => one.band), (/** @type {any} */ one) => one.key).join("path").attr("class", "band").style("fill", color).attr("d", (one) => banded(/** @type {any} */ (one.band)));
    inside.selectAll("path.line").data(spec.lines, (/** @type {any} */ one) => one.key).join("path").attr("class", (one) => one.pale ? "line pale" : "line").style("stroke", color).attr("d", (one) => drawn(/** @type {any} */ (one.points))).filter((one) => !one.pale).raise();
    const cross = this.#at === null ? [] : [this.#at];
    inside.selectAll("line.cross").data(cross).join("line").attr("class", "cross")
      .attr("x1", (at) => up ? ROOM.left : x(at)).attr("x2", (at) => up ? right : x(at)).attr("y1", (at) => up ? y(at) : ROOM.top).attr("y2", (at) => up ? y(at) : bottom);
  }

  /** @param {any} scales */
  #drawHandles({ x, y }) {
    const spec = /** @type {Spec} */ (this.spec), shapes = { x: symbol(symbolDiamond, 150)(), y: symbol(symbolCircle, 110)() };
    const handles = this.svg.select(".handles").selectAll("path.handle").data(spec.handles ?? [], (/** @type {any} */ one) => one.key).join("path");
    handles.attr("class", (one) => `handle tone-${one.tone ?? "none"}`).attr("d", (one) => shapes[one.moves]).attr("transform", (one) => `translate(${x(one.x)},${y(one.y)})`)
      .style("cursor", (one) => one.moves === "x" ? "ew-resize" : "ns-resize")
      .attr("tabindex", 0).attr("role", "slider").attr("aria-orientation", (one) => one.moves === "x" ? "horizontal" : "vertical")
      .attr("aria-label", (one) => one.tone ? `${one.label} (${one.tone})` : one.label).attr("aria-valuenow", (one) => one.value).attr("aria-valuemin", (one) => (Number.isFinite(one.least) ? one.least : null))
      .attr("aria-valuetext", (one) => `${plain(one.value)} ${one.unit ?? ""}`.trim());
    handles.selectAll("title").data((one) => [one]).join("title").text((one) => `${one.label}: ${plain(one.value)} ${one.unit ?? ""}`);
    handles.call(/** @type {any} */ (drag().container(() => /** @type {SVGSVGElement} */ (this.svg.node())).subject((event) => ({ x: event.x, y: event.y }))
      .on("start", (_, one) => { this.#held = /** @type {Handle} */ (one).key; })
      .on("drag", (event, one) => this.#move(/** @type {Handle} */ (one), this.#valueAt(/** @type {Handle} */ (one), event), false))
      .on("end", (event, one) => { this.#held = null; this.#move(/** @type {Handle} */ (one), this.#valueAt(/** @type {Handle} */ (one), event), true); })));
    handles.on("keydown", (event, one) => this.#key(event, one));
  }

  /** @param {Handle} handle @param {any} event */
  #valueAt(handle, event) {
    const { x, y } = this.#scales();
    return handle.moves === "x" ? x.invert(event.x) : y.invert(event.y);
  }

  /** @param {Handle} handle @param {number} value @param {boolean} done */
  #move(handle, value, done) {
    const kept = Math.max(handle.whole ? Math.round(value) : written(Number(value.toPrecision(4))), handle.least);
    this.moved(handle.change(kept), done);
  }

  /** @param {KeyboardEvent} event @param {Handle} handle */
  #key(event, handle) {
    const way = { ArrowRight: 1, ArrowUp: 1, ArrowLeft: -1, ArrowDown: -1 }[event.key];
    if (!way) return;
    event.preventDefault();
    this.#move(handle, handle.value + way * handle.step * (event.shiftKey ? FAST : 1), true);
  }

  /** Whether a point is being dragged. */
  get held() {
    return this.#held !== null;
  }

  /** @param {PointerEvent} event */
  #point(event) {
    if (this.spec === null || this.held) return;
    const { x, y, right, bottom } = this.#scales(), [left, top] = pointer(event, this.svg.node());
    const inside = left >= ROOM.left && left <= right && top <= bottom;
    const at = this.spec.along === "y" ? y.invert(top) : x.invert(left);
    this.#at = !inside ? null : this.spec.fine ? at : Math.round(at);
    this.draw();
  }

  #tell() {
    const { spec } = this;
    if (spec === null) return;
    const values = this.#at === null ? [] : spec.read(this.#at);
    this.told.textContent = this.#at === null || !values.length ? "" : `${spec.fine ? "" : `Level ${this.#at}: `}${values.map(([name, value]) => `${name} ${value}`).join(" · ")}`;
  }
}

/** @param {import("./spec.mjs").Axis} before @param {import("./spec.mjs").Axis} now */
function steady(before, now) {
  const [least, most] = now.domain;
  if (before.domain[0] <= least && before.domain[1] >= most && most > before.domain[1] / 2) now.domain = before.domain;
}
