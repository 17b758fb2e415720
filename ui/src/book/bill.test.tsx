// @vitest-environment happy-dom
import { fireEvent, screen } from "@testing-library/react";
import { expect, test } from "vitest";
import { serve, show } from "../testing/show";
import { BillCourse } from "./BillCourse";

const point = (at: string, seconds: number) => ({ at, seconds, calls: 10, errors: 0 });
const entries = (liveAt: string | null) => ({
  entries: [{ number: 4, title: "Index", state: "deployed", liveAt }],
  count: 1,
  fault: null,
  digest: null,
  known: [],
  unannounced: [],
});

test("days stand side by side, with what was deployed and which entry went live", async () => {
  serve({
    "GET /api/books/1/daybook": {
      stretchMinutes: 360,
      deployments: [
        { id: 1, at: "2026-07-08T10:00:00Z", version: "3.3", what: "Tidy up", script: "", noticed: false },
        { id: 2, at: "2026-06-01T10:00:00Z", version: "3.0", what: "", script: "", noticed: false },
      ],
      course: [
        point("2026-07-06T00:00:00Z", 3),
        point("2026-07-06T18:00:00Z", 2),
        point("2026-07-07T06:00:00Z", 4),
        point("2026-07-08T12:00:00Z", 9),
        point("2026-07-09T00:00:00Z", 1),
      ],
    },
    "GET /api/books/1/entries": entries("2026-07-08T10:00:00.000Z"),
  });
  const { container } = await show(<BillCourse book={1} />);
  const picture = await screen.findByRole("slider", { name: "The bill over time" });
  expect(await screen.findByText("4")).toBeTruthy();
  expect(screen.getByText("3.3")).toBeTruthy();
  expect(screen.queryByText("3.0")).toBeNull();
  expect(container.querySelectorAll("rect.fill-quiet").length).toBe(4);
  fireEvent.keyDown(picture, { key: "Home" });
  expect(picture.getAttribute("aria-valuetext")).toBe("2026-07-06: 5.00 s in 20 calls");
  fireEvent.keyDown(picture, { key: "ArrowRight" });
  fireEvent.keyDown(picture, { key: "ArrowRight" });
  expect(picture.getAttribute("aria-valuetext")).toBe(
    "2026-07-08: 9.00 s in 10 calls, 3.3 Tidy up deployed, entry 4 live",
  );
});

test("an hour of captures is drawn by its own stretches, and none not at all", async () => {
  serve({
    "GET /api/books/1/daybook": {
      stretchMinutes: 1,
      deployments: [],
      course: [point("2026-07-06T00:00:00Z", 3), point("2026-07-06T00:01:00Z", 2)],
    },
    "GET /api/books/1/entries": entries(null),
    "GET /api/books/2/daybook": { stretchMinutes: 1, deployments: [], course: [] },
  });
  await show(<BillCourse book={1} />);
  const picture = await screen.findByRole("slider", { name: "The bill over time" });
  fireEvent.keyDown(picture, { key: "End" });
  expect(picture.getAttribute("aria-valuetext")).toBe("2026-07-06 00:01: 2.00 s in 10 calls");
  const { container } = await show(<BillCourse book={2} />);
  expect(container.querySelector("svg")).toBeNull();
});
