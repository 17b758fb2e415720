// @vitest-environment happy-dom
import { screen } from "@testing-library/react";
import { expect, test } from "vitest";
import type { Alert, Round } from "../api/keep";
import { serve, show } from "../testing/show";
import { Rounds, Told } from "./KeepView";

const round = (of: Partial<Round>): Round => ({
  id: 1,
  name: "app log",
  kind: "capture",
  what: "read /var/log/app of server",
  everySeconds: 300,
  nextAt: "2026-07-18T17:05:00Z",
  runs: 0,
  lastAt: null,
  told: null,
  problem: null,
  running: false,
  ...of,
});

const alert = (of: Partial<Alert>): Alert => ({
  id: 1,
  kind: "offPlan",
  text: "It runs by another plan.",
  perDay: null,
  hash: "71489d01f6810f27",
  entry: null,
  beganAt: "2026-07-18T17:00:00Z",
  endedAt: null,
  deliveries: [],
  ...of,
});

const delivery = (of: Partial<Alert["deliveries"][number]>): Alert["deliveries"][number] => ({
  channel: "post",
  isOver: false,
  tries: 1,
  deliveredAt: null,
  nextAt: null,
  problem: null,
  ...of,
});

test("rounds say what they do, when next, what came of them and what went wrong; a name is quoted in the command", async () => {
  serve({});
  await show(
    <Rounds
      book="Ines' huts"
      rounds={[
        round({ runs: 3, lastAt: "2026-07-18T17:00:00Z", told: "2 new statements from a file." }),
        round({
          id: 2,
          name: "evenings",
          running: true,
          lastAt: "2026-07-18T17:00:00Z",
          problem: "No room.",
        }),
      ]}
    />,
  );
  expect(screen.getByText(/every 5 min 00 s, next 2026-07-18 17:05/)).toBeTruthy();
  expect(screen.getByText(/2 new statements from a file\./).textContent).toContain("Done 3 times.");
  expect(screen.getByText(/at it now/)).toBeTruthy();
  expect(screen.getByText(/No room\./).className).toContain("failed");
  expect(screen.getByText(/keep add/).textContent).toContain("--book 'Ines'\\'' huts'");
});

test("an alert leads to what it is about and says how far it was sent through each channel", async () => {
  serve({});
  await show(
    <Told
      book={1}
      page={{
        channels: ["file", "post"],
        alerts: [
          alert({
            deliveries: [
              delivery({ channel: "file", deliveredAt: "2026-07-18T17:00:00Z" }),
              delivery({ tries: 2, nextAt: "2026-07-18T17:01:00Z", problem: "It answered 503." }),
            ],
          }),
          alert({
            id: 2,
            kind: "promiseBroken",
            hash: null,
            entry: 7,
            text: "An index: not kept.",
            endedAt: "2026-07-18T18:00:00Z",
          }),
          alert({
            id: 3,
            kind: "ledgerAltered",
            hash: null,
            text: "Entry 3 was altered.",
            deliveries: [delivery({ tries: 10, isOver: true, problem: "Refused." })],
          }),
        ],
      }}
    />,
  );
  expect(screen.getByText(/told through: file, post/)).toBeTruthy();
  expect(screen.getByText("file: arrived 2026-07-18 17:00")).toBeTruthy();
  expect(screen.getByText("post: It answered 503. Next try 2026-07-18 17:01.")).toBeTruthy();
  expect(screen.getByText("its end, post: given up after 10 tries: Refused.")).toBeTruthy();
  expect(screen.getByText("It runs by another plan.").getAttribute("href")).toBe(
    "/books/1/statements/71489d01f6810f27",
  );
  expect(screen.getByText("An index: not kept.").getAttribute("href")).toBe("/books/1/entries/7");
  expect(screen.getByText(/Entry 3 was altered\./).tagName).not.toBe("A");
});

test("without a channel it says that nobody is told", async () => {
  serve({});
  await show(<Told book={1} page={{ channels: [], alerts: [] }} />);
  expect(screen.getByText(/Nobody is told/)).toBeTruthy();
  expect(screen.getByText("Nothing was to be told yet.")).toBeTruthy();
});
