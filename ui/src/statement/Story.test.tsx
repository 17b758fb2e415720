// @vitest-environment happy-dom
import { screen, within } from "@testing-library/react";
import { expect, test } from "vitest";
import { serve, show } from "../testing/show";
import { Story } from "./Story";

const deployment = (id: number, version: string) => ({
  id,
  at: `2026-07-1${id}T10:00:00Z`,
  version,
  what: "",
  script: "",
  noticed: false,
});

test("an incident and its fix are one account with its balance, and the entry that brought the fix", async () => {
  serve({
    "GET /api/books/1/statements/00ab/story": {
      rows: [
        {
          deployment: deployment(1, "3.2"),
          regressed: true,
          ratio: 17,
          msBefore: 0.3,
          msAfter: 5.1,
          entry: null,
        },
        {
          deployment: deployment(2, "3.3"),
          regressed: false,
          ratio: 0.05,
          msBefore: 5.1,
          msAfter: 0.25,
          entry: 4,
        },
      ],
      balance: "level",
      sentence: "3.2 made it 17.0x dearer; 3.3 made it 20.0x cheaper. In balance it is level.",
    },
  });
  await show(<Story book={1} hash="00ab" />);
  const told = await screen.findByLabelText("Through deployments");
  expect(within(told).getByText(/In balance it is level/)).toBeTruthy();
  expect(within(told).getByRole("link", { name: "4" }).getAttribute("href")).toBe("/books/1/entries/4");
  expect(within(told).getByText("none")).toBeTruthy();
  expect(within(told).getByText("17.0x dearer")).toBeTruthy();
  expect(within(told).getByText("20.0x cheaper")).toBeTruthy();
});

test("a statement that one deployment moved has no account", async () => {
  const asked = serve({
    "GET /api/books/1/statements/00ab/story": { rows: [], balance: null, sentence: null },
  });
  const { container } = await show(<Story book={1} hash="00ab" />);
  expect(asked.length).toBe(1);
  expect(container.textContent).toBe("");
});
