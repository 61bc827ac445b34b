import { showBytes } from "../../words/numbers.ts";
import { counted, grouped } from "../../words/text.ts";
import { selectRows, unpackRows, type Column, type PackedRows, type Row } from "../rows.ts";

/** What the page's data holds for its table. */
interface Data {
  readonly rows: PackedRows;
  readonly rank: readonly (readonly [string, number])[];
  /** Rows that are shown at a time. */
  readonly page: number;
}

const find = (selector: string): HTMLElement => document.querySelector<HTMLElement>(selector) as HTMLElement;
const all = (selector: string): HTMLElement[] => [...document.querySelectorAll<HTMLElement>(selector)];

const data = JSON.parse(find("#data").textContent) as Data;
const rows = unpackRows(data.rows);
const rank = new Map(data.rank);

const wish = { text: "", fates: new Set<string>(), role: "", by: "fate" as Column, isDown: false };
let [found, first]: [Row[], number] = [[], 0];

const cell = (text: string, isNumber = false): HTMLTableCellElement => {
  const made = document.createElement("td");
  made.textContent = text;
  if (isNumber) made.className = "number";
  return made;
};

function toRow({ key, fate, role, size, wire, reason }: Row): HTMLTableRowElement {
  const made = document.createElement("tr");
  const name = document.createElement("td");
  name.append(document.createElement("code"));
  (name.firstChild as HTMLElement).textContent = key;
  const bytes = [size, wire].map((count) => cell(count < 0 ? "" : showBytes(count), true));
  made.append(name, cell(fate), cell(role), ...bytes, cell(reason));
  return made;
}

function show(): void {
  const shown = found.slice(first, first + data.page);
  find("#rows tbody").replaceChildren(...shown.map(toRow));
  const all = counted(rows.length, "file");
  find("#count").textContent = found.length === rows.length ? all : `${grouped(found.length)} of ${all}`;
  find("#place").textContent =
    found.length === 0 ? "" : `${grouped(first + 1)} to ${grouped(first + shown.length)}`;
  (find("#back") as HTMLButtonElement).disabled = first === 0;
  (find("#on") as HTMLButtonElement).disabled = first + data.page >= found.length;
  find(".pages").hidden = found.length <= data.page;
}

function select(): void {
  found = selectRows(rows, wish, rank);
  first = 0;
  show();
}

function turn(by: number): void {
  first = Math.max(0, first + by * data.page);
  show();
  find("#files").scrollIntoView();
}

function listenToTable(): void {
  find("form.filter").addEventListener("submit", (event) => {
    event.preventDefault();
  });
  find("#filter").addEventListener("input", (event) => {
    wish.text = (event.target as HTMLInputElement).value;
    select();
  });
  find("#role").addEventListener("change", (event) => {
    wish.role = (event.target as HTMLSelectElement).value;
    select();
  });
  find("#back").addEventListener("click", () => {
    turn(-1);
  });
  find("#on").addEventListener("click", () => {
    turn(1);
  });
  for (const button of all("#rows thead button"))
    button.addEventListener("click", () => {
      const by = button.dataset.column as Column;
      wish.isDown = wish.by === by ? !wish.isDown : by === "size" || by === "wire";
      wish.by = by;
      for (const heading of all("#rows thead th")) heading.removeAttribute("aria-sort");
      button.closest("th")?.setAttribute("aria-sort", wish.isDown ? "descending" : "ascending");
      select();
    });
}

/** The legend: what is pressed stays in the table, and bright on the map. */
function listenToLegend(): void {
  for (const button of all(".legend button"))
    button.addEventListener("click", () => {
      const { fate = "" } = button.dataset;
      const name = button.firstChild?.nextSibling?.textContent?.trim() ?? "";
      const isPressed = !wish.fates.has(name);
      if (isPressed) wish.fates.add(name);
      else wish.fates.delete(name);
      button.setAttribute("aria-pressed", String(isPressed));
      for (const drawn of all(`.map .${fate}`)) drawn.classList.toggle("wanted", isPressed);
      find("#map").classList.toggle("some", wish.fates.size > 0);
      select();
    });
}

/** Arrow keys go from box to box, and say what each is; Enter, or a click, shows it in the table. */
function listenToMap(): void {
  const map = find("#map");
  const cells = (): HTMLElement[] => all("#map .cell").filter((one) => one.getClientRects().length > 0);
  let at = -1;
  const enter = (one: HTMLElement): void => {
    for (const before of all("#map .at")) before.classList.remove("at");
    one.classList.add("at");
    find("#said").textContent = one.dataset.says ?? "";
  };
  const ask = (one: HTMLElement): void => {
    wish.text = one.dataset.path ?? "";
    (find("#filter") as HTMLInputElement).value = wish.text;
    select();
    find("#files").scrollIntoView();
  };
  map.addEventListener("keydown", (event) => {
    const shown = cells();
    const step = { ArrowRight: 1, ArrowDown: 1, ArrowLeft: -1, ArrowUp: -1 }[event.key] ?? 0;
    const ends = { Home: 0, End: shown.length - 1 }[event.key];
    const one = shown[at];
    if (event.key === "Enter" && one) ask(one);
    if (step === 0 && ends === undefined) return;
    event.preventDefault();
    at = ends ?? Math.min(Math.max(at + step, 0), shown.length - 1);
    const next = shown[at];
    if (next) enter(next);
  });
  const cellOf = ({ target }: Event): HTMLElement | null => (target as Element).closest<HTMLElement>(".cell");
  map.addEventListener("pointerover", (event) => {
    const one = cellOf(event);
    if (one) enter(one);
  });
  map.addEventListener("click", (event) => {
    const one = cellOf(event);
    if (one) ask(one);
  });
}

listenToTable();
listenToLegend();
listenToMap();
select();
