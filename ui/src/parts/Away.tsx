import { useQueryClient } from "@tanstack/react-query";
import { useEffect, useState } from "react";
import { clock } from "../format/figures";

const every = 2500;
const whileAway = 1000;
const patience = 2000;

/** Whether the server answers at all; what it answers does not matter here. */
async function answers(): Promise<boolean> {
  try {
    const answer = await fetch("/api/alive", { signal: AbortSignal.timeout(patience), cache: "no-store" });
    return answer.status < 502;
  } catch {
    return false;
  }
}

/** Says within five seconds that the server does not answer, and reads everything again when it is back. */
export function Away() {
  const client = useQueryClient();
  const [since, setSince] = useState<string | null>(null);
  useEffect(() => {
    let away = false;
    let left = false;
    let timer: ReturnType<typeof setTimeout>;
    const look = async () => {
      // A page that nobody sees asks nothing: something may be measured beside it.
      const here = document.hidden ? !away : await answers();
      if (left) {
        return;
      }
      if (here && away) {
        setSince(null);
        client.invalidateQueries();
      } else if (!here && !away) {
        setSince(new Date().toISOString());
      }
      away = !here;
      timer = setTimeout(look, away ? whileAway : every);
    };
    timer = setTimeout(look, every);
    return () => {
      left = true;
      clearTimeout(timer);
    };
  }, [client]);
  return (
    since && (
      <p role="status" className="shrink-0 border-b border-ink bg-inset px-5 py-1.5">
        <strong className="text-failed">The server has not answered since {clock(since)}.</strong> What you
        see is from before; nothing that was kept is lost, and this page goes on by itself when it is back.
      </p>
    )
  );
}
