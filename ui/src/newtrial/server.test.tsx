// @vitest-environment happy-dom
import { act, fireEvent, renderHook, screen } from "@testing-library/react";
import { useState } from "react";
import { expect, test, vi } from "vitest";
import { serve, show } from "../testing/show";
import { ServerFields } from "./ServerFields";
import { onServer, settingsOf, useDraft } from "./useDraft";

/** The fields with the step that they lead to. */
function Fields(props: Omit<Parameters<typeof ServerFields>[0], "choosing" | "setChoosing">) {
  const [choosing, setChoosing] = useState(false);
  return <ServerFields {...props} choosing={choosing} setChoosing={setChoosing} />;
}

const way = (sides: string, works: boolean, lacks = "", grant = "", elsewhere = false) => ({
  sides,
  elsewhere,
  works,
  withTrust: false,
  shows: `shows ${sides}`,
  lacks,
  grant,
});
const look = {
  version: "17.2 (Debian)",
  user: "reader",
  bytes: 1 << 30,
  otherSessions: 3,
  extensions: [],
  sides: [
    way("copies", false, "This user may not create databases.", "ALTER ROLE reader CREATEDB;"),
    way("asItIs", true),
    way("pair", true),
    way("dumped", false, "The copies have to stand on another server.", "", true),
  ],
  notes: ["track_io_timing is off."],
};

test("a server's address is told from a path", () => {
  expect(
    [
      "postgresql://u@h/d",
      " postgres://h/d",
      "host=h dbname=d",
      "Host=h;Database=d",
      "Database=d;Host=h",
    ].every(onServer),
  ).toBe(true);
  expect(["/data/host=x.db", "app.db", ""].some(onServer)).toBe(false);
});

test("a password is never kept in the browser, wherever it was typed", () => {
  const { result } = renderHook(() => useDraft());
  act(() =>
    result.current.set({
      subject: "postgresql://me:geheim1@h/d",
      afterSubject: "Host=h;Database=d;Password=geheim2",
      password: "geheim3",
      otherPassword: "geheim4",
      copiesOn: "postgresql://me:geheim5@h2/d",
    }),
  );
  expect(result.current.draft.password).toBe("geheim3");
  expect(localStorage.getItem("draft")).not.toMatch(/geheim/);
  expect(localStorage.getItem("draft")).toContain("postgresql://me@h/d");
  act(() => result.current.clear());
});

test("a database that keeps the change is named by hand, and the name is not kept", async () => {
  const set = vi.fn();
  serve({ "POST /api/subjects/look": look });
  const { result } = renderHook(() => useDraft());
  act(() => result.current.set({ subject: "postgresql://h/spare", sides: "inPlace", expendable: "spare" }));
  expect(settingsOf(result.current.draft)).toMatchObject({ sides: "inPlace", expendable: "spare" });
  expect(JSON.parse(localStorage.getItem("draft") ?? "{}").expendable).toBe("");
  await show(<Fields draft={result.current.draft} set={set} />);
  const name = screen.getByLabelText(/The change stays/);
  fireEvent.change(name, { target: { value: "spar" } });
  expect(set).toHaveBeenCalledWith({ expendable: "spar" });
  act(() => result.current.set({ sides: "copies" }));
  expect(settingsOf(result.current.draft).expendable).toBeNull();
  act(() => result.current.clear());
});

test("of a file there are always copies, and an after side belongs to a pair", () => {
  const { result } = renderHook(() => useDraft());
  act(() => result.current.set({ subject: "app.db", sides: "pair", afterSubject: "postgresql://h/other" }));
  expect(settingsOf(result.current.draft)).toMatchObject({ sides: "copies", afterSubject: null });
  act(() => result.current.set({ subject: "postgresql://h/d" }));
  expect(settingsOf(result.current.draft)).toMatchObject({
    sides: "pair",
    afterSubject: "postgresql://h/other",
  });
  act(() => result.current.clear());
});

test("copies of a dump hold what is chosen, and nothing of it is sent for other sides", async () => {
  const { result } = renderHook(() => useDraft());
  act(() => result.current.set({ subject: "postgresql://h/d", sides: "dumped" }));
  expect(settingsOf(result.current.draft).dump).toBeNull();
  const set = vi.fn();
  await show(<Fields draft={result.current.draft} set={set} />);
  fireEvent.change(screen.getByLabelText(/hold the rows of/), { target: { value: "chosen" } });
  expect(set).toHaveBeenCalledWith({ dumpRows: "chosen" });
  act(() =>
    result.current.set({
      dumpRows: "chosen",
      dumpTables: "hut, s.booking ,",
      madeRows: "0.5",
      copiesOn: " ",
    }),
  );
  expect(settingsOf(result.current.draft).dump).toEqual({
    tables: ["hut", "s.booking"],
    madeRows: 0.5,
    on: null,
  });
  act(() => result.current.set({ dumpRows: "none", madeRows: "many", copiesOn: "postgresql://h2/d" }));
  expect(settingsOf(result.current.draft).dump).toEqual({ tables: [], madeRows: 0, on: "postgresql://h2/d" });
  act(() => result.current.set({ dumpRows: "all" }));
  expect(settingsOf(result.current.draft).dump).toEqual({
    tables: null,
    madeRows: null,
    on: "postgresql://h2/d",
  });
  act(() => result.current.set({ sides: "copies" }));
  expect(settingsOf(result.current.draft).dump).toBeNull();
  act(() => result.current.clear());
});

test("a look at the server shows what works, what is missing, and chooses the first that works", async () => {
  serve({ "POST /api/subjects/look": look });
  const set = vi.fn();
  const { result } = renderHook(() => useDraft());
  await show(<Fields draft={{ ...result.current.draft, subject: "postgresql://reader@h/d" }} set={set} />);
  fireEvent.click(await screen.findByRole("button", { name: "Look at the server" }));
  expect(await screen.findByText("PostgreSQL 17.2, 1.00 GiB, as reader")).toBeTruthy();
  expect(set).toHaveBeenCalledWith({ sides: "asItIs" });
  // What is open stands first; the rest is folded, with what it wants.
  const ways = screen.getAllByRole("radio") as HTMLInputElement[];
  expect(ways.map((w) => w.disabled)).toEqual([false, false, false, true]);
  expect(ways[3]?.closest("details")?.open).toBe(false);
  expect(screen.getByText("1 way is not open here, and why")).toBeTruthy();
  expect(screen.getByText("ALTER ROLE reader CREATEDB;")).toBeTruthy();
  expect(screen.getByText("track_io_timing is off.")).toBeTruthy();
  expect(screen.getByText(/\(on another server\)/)).toBeTruthy();
  fireEvent.click(screen.getAllByRole("radio")[2] as HTMLElement);
  expect(set).toHaveBeenCalledWith({ sides: "dumped" });
  fireEvent.click(screen.getAllByRole("radio")[1] as HTMLElement);
  expect(set).toHaveBeenCalledWith({ sides: "pair" });
});

test("the way to two sides is a step of its own, folded to one line when it is taken", async () => {
  serve({ "POST /api/subjects/look": look });
  const { result } = renderHook(() => useDraft());
  await show(
    <Fields
      draft={{ ...result.current.draft, subject: "postgresql://reader@h/d", sides: "asItIs" }}
      set={() => {}}
    />,
  );
  fireEvent.click(await screen.findByRole("button", { name: "Look at the server" }));
  fireEvent.click(await screen.findByRole("button", { name: "Go on with the database as it is" }));
  expect(screen.queryByRole("radio")).toBeNull();
  fireEvent.click(screen.getByText("another way"));
  expect(screen.getAllByRole("radio").length).toBe(4);
});

test("a superuser's rights are for known statements alone: ways open by the user's word, which is not kept", async () => {
  const lacks = "postgres is a superuser: statements would run with these rights.";
  const held = { ...way("asItIs", false, lacks, "CREATE ROLE swift_ledger_reader LOGIN;"), withTrust: true };
  serve({ "POST /api/subjects/look": { ...look, sides: [way("copies", true), held] } });
  const set = vi.fn();
  const { result } = renderHook(() => useDraft());
  const fields = (trustSql: boolean) => (
    <Fields draft={{ ...result.current.draft, subject: "postgresql://postgres@h/d", trustSql }} set={set} />
  );
  await show(fields(false));
  fireEvent.click(await screen.findByRole("button", { name: "Look at the server" }));
  const word = await screen.findByRole("checkbox", { name: /I know every statement here/ });
  expect((screen.getAllByRole("radio")[1] as HTMLInputElement).disabled).toBe(true);
  expect(screen.getByText("CREATE ROLE swift_ledger_reader LOGIN;")).toBeTruthy();
  fireEvent.click(word);
  expect(set).toHaveBeenCalledWith({ trustSql: true });
  act(() => result.current.set({ subject: "postgresql://postgres@h/d", trustSql: true }));
  expect(settingsOf(result.current.draft).trustSql).toBe(true);
  expect(JSON.parse(localStorage.getItem("draft") ?? "{}").trustSql).toBe(false);
  act(() => result.current.set({ subject: "app.db" }));
  expect(settingsOf(result.current.draft).trustSql).toBe(false);
  act(() => result.current.clear());
});
