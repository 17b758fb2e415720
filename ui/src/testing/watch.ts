import type { Watch, WatchPage } from "../api/watch";

/** A watch of a depot's server that saw two pile-ups. */
export const watchOf = (over: Partial<Watch> = {}): Watch => ({
  id: 1,
  address: "postgresql://app@depot/parcels",
  beganAt: "2026-03-02T10:00:00Z",
  lastAt: "2026-03-02T10:00:25Z",
  state: "ended",
  ending: "",
  looks: 26,
  lookMs: 3,
  active: 2,
  mostActive: 4,
  pileUp: 4,
  pileUps: 2,
  waits: 0,
  ...over,
});

const session = {
  depth: 0,
  id: 11,
  user: "app",
  application: "weigher",
  state: "idle in transaction",
  waitKind: "",
  waitFor: "",
  transactionSeconds: 600,
  statementSeconds: 590,
  waiting: 1,
  sql: "UPDATE parcel SET weight = 1",
};

/** Ten looks of load 1, ten of load 4 of which three wait for a lock, six of load 0. */
export const watchPageOf = (over: Partial<WatchPage> = {}): WatchPage => ({
  bookId: 3,
  bookName: "Parcels",
  watch: watchOf(),
  kinds: ["Lock", "running"],
  pointSeconds: 10,
  course: [
    { at: "2026-03-02T10:00:00Z", samples: 10, active: 1, kinds: [0, 1] },
    { at: "2026-03-02T10:00:10Z", samples: 10, active: 4, kinds: [3, 1] },
    { at: "2026-03-02T10:00:20Z", samples: 6, active: 0, kinds: [0, 0] },
  ],
  patterns: [
    { pattern: "ab", sql: "UPDATE parcel SET weight = 1", seen: 40, share: 0.8, kinds: [0.75, 0.25] },
    { pattern: "cd", sql: "SELECT 1", seen: 10, share: 0.2, kinds: [0, 1] },
  ],
  patternCount: 3,
  part: [],
  sessions: [],
  sessionCount: 0,
  did: [],
  moments: [
    { at: "2026-03-02T10:00:11Z", piledUp: false, active: 2, sessions: [session], sessionCount: 1 },
    {
      at: "2026-03-02T10:00:13Z",
      piledUp: true,
      active: 4,
      sessions: [
        session,
        {
          ...session,
          depth: 1,
          id: 12,
          state: "active",
          waitKind: "Lock",
          waitFor: "tuple",
          waiting: 0,
          transactionSeconds: 2,
        },
      ],
      sessionCount: 5,
    },
  ],
  ...over,
});
