import { Link } from "@tanstack/react-router";
import type { ReactNode } from "react";
import type { Measured, Proposal } from "../api/proposals";
import { bytes, duration, percent, three } from "../format/figures";
import { IntervalBar } from "../parts/IntervalBar";
import { change, isOtherWords, lessWork } from "./words";

const band = { low: 0.95, high: 1.05 };

/** What a proposal is expected to bring, what its trial told, and who pays for it. */
export function Brings({ p }: { p: Proposal }) {
  const { item } = p;
  const m = item.measured;
  return (
    <>
      <h3 className="section">What it brings</h3>
      <dl className="grid grid-cols-[auto_1fr] gap-x-4 gap-y-1">
        {p.workLeft !== null && (
          <Fact name="expected">
            <span className="text-quiet italic">
              {lessWork(p.workLeft)} work of the whole workload, by what was counted on a copy
            </span>
          </Fact>
        )}
        {p.workLeft === null && !m && (
          <Fact name="expected">
            <span className="text-quiet italic">no counter foretells it: its trial has to</span>
          </Fact>
        )}
        {m && m.billBefore > 0 && (
          <Fact name="measured">
            <Bill m={m} />
          </Fact>
        )}
        {p.within !== null && p.within > 0 && (
          <Fact name="within the set">
            {percent(p.within)} of the work that the others leave is spared by it alone
          </Fact>
        )}
        {m && m.improved.length > 0 && <Fact name="cheaper">{m.improved.join(", ")}</Fact>}
        {p.replaces.length > 0 && (
          <Fact name="takes the place of">{p.replaces.join(", ")}: it begins with the same columns</Fact>
        )}
        {p.trial !== null && (
          <Fact name="evidence">
            <Link className="link" to="/trials/$trialId" params={{ trialId: String(p.trial) }}>
              trial {p.trial}
            </Link>
            {m && `, over ${m.lines} ${m.lines === 1 ? "line" : "lines"} of all statements that it may touch`}
          </Fact>
        )}
      </dl>
      <h3 className="section">Who pays for it</h3>
      <dl className="grid grid-cols-[auto_1fr] gap-x-4 gap-y-1">
        {m && <Fact name="dearer">{m.regressed.length > 0 ? m.regressed.join(", ") : "no statement"}</Fact>}
        {m && m.writesBefore !== null && m.writesAfter !== null && m.writesBefore > 0 && (
          <Fact name="writes">
            {change(m.writesBefore, m.writesAfter)} s a day of {three(m.writesBefore)}
          </Fact>
        )}
        {m && m.sizeBytes !== null && m.sizeBytes !== 0 ? (
          <Fact name="room">
            {m.sizeBytes < 0 ? "\u2212" : "+"}
            {bytes(Math.abs(m.sizeBytes))}
          </Fact>
        ) : (
          p.expectedBytes !== null && (
            <Fact name="room">
              <span className="text-quiet italic">+{bytes(p.expectedBytes)}</span>
            </Fact>
          )
        )}
        {m && !isOtherWords(item.kind) && <Fact name="made in">{duration(m.buildMs)} on the copy</Fact>}
        {p.locks && <Fact name="holds back">{p.locks}</Fact>}
        {isOtherWords(item.kind) && <Fact name="who changes">the application that sends the statement</Fact>}
        {item.kind === "setting" && (
          <Fact name="who changes">whoever opens sessions, each of which takes the memory for itself</Fact>
        )}
      </dl>
    </>
  );
}

function Bill({ m }: { m: Measured }) {
  const low = 1 + m.changeLow / m.billBefore;
  const high = 1 + m.changeHigh / m.billBefore;
  const centre = m.billAfter / m.billBefore;
  const least = 1e-4;
  const reach = Math.max(1.3, 1 / Math.max(least, low), high) * 1.1;
  return (
    <>
      {three(m.billBefore)} to <strong>{three(m.billAfter)}</strong> database-seconds a day (95 % interval of
      the change {change(0, m.changeLow)} to {change(0, m.changeHigh)})
      {low > 0 && (
        <IntervalBar
          low={Math.max(least, low)}
          high={Math.max(least, high)}
          centre={centre}
          bandLow={band.low}
          bandHigh={band.high}
          verdict={m.changeHigh < 0 ? "improved" : m.changeLow > 0 ? "regressed" : "level"}
          width={340}
          height={34}
          reach={reach}
          labelled
        />
      )}
    </>
  );
}

export function Fact({ name, children }: { name: string; children: ReactNode }) {
  return (
    <>
      <dt className="whitespace-nowrap text-quiet">{name}</dt>
      <dd className="min-w-0 break-words">{children}</dd>
    </>
  );
}
