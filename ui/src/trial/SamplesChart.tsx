import { scaleLinear, scaleLog } from "@visx/scale";
import type { Schemas } from "../api/client";
import { three } from "../format/figures";
import { logTicks } from "../format/ticks";
import { SideMark } from "../parts/Mark";
import { ReadAlong } from "../parts/ReadAlong";
import { useReadOut } from "../parts/readOut";

type Block = Schemas["BlockView"];

const width = 520;
const height = 150;
const left = 58;

const told = (b: Block, number: number) =>
  `block ${number}: ${three(b.beforeUs / 1000)} ms before, ${three(b.afterUs / 1000)} ms after${b.leftOut ? ", left out" : ""}`;

/** Every block as it was measured: hollow before, solid after, in order; what was left out is crossed. */
export function SamplesChart({ blocks, confirming }: { blocks: Block[]; confirming: Block[] }) {
  const all = [...blocks, ...confirming];
  const times = all.flatMap((b) => [b.beforeUs, b.afterUs]).filter((t) => t > 0);
  const low = Math.min(...times);
  const high = Math.max(...times);
  const y = scaleLog({ domain: [low * 0.93, high * 1.07], range: [height - 18, 6] });
  const x = scaleLinear({ domain: [0, Math.max(1, all.length - 1)], range: [left + 6, width - 6] });
  const ticks = logTicks((low * 0.93) / 1000, (high * 1.07) / 1000).map((t) => t * 1000);
  const read = useReadOut(all.length);
  const block = read.at === null ? undefined : all[read.at];
  const out = all.filter((b) => b.leftOut).length;
  return (
    <figure>
      <h3 className="section">
        Samples, ms an execution{" "}
        <span className="font-normal text-quiet">
          <SideMark side="before" />
          before <SideMark side="after" />
          after
        </span>
      </h3>
      <ReadAlong
        label="Samples in the order measured"
        count={all.length}
        read={read}
        told={block ? told(block, (read.at ?? 0) + 1) : ""}
      >
        <svg
          viewBox={`0 0 ${width} ${height}`}
          className="w-full max-w-[640px]"
          role="img"
          onPointerMove={(e) => {
            const box = e.currentTarget.getBoundingClientRect();
            const to = Math.round(x.invert(((e.clientX - box.left) * width) / Math.max(1, box.width)));
            read.setAt(to >= 0 && to < all.length ? to : null);
          }}
          aria-label={`${all.length} blocks between ${three(low / 1000)} and ${three(high / 1000)} ms`}
        >
          {ticks.map((t) => (
            <g key={t}>
              <line x1={left} x2={width} y1={y(t)} y2={y(t)} className="stroke-rule" />
              <text x={left - 6} y={y(t) + 4} textAnchor="end" className="fill-quiet text-xs">
                {three(t / 1000)}
              </text>
            </g>
          ))}
          {confirming.length > 0 && (
            <g>
              <line
                x1={x(blocks.length - 0.5)}
                x2={x(blocks.length - 0.5)}
                y1={0}
                y2={height - 16}
                className="stroke-strong"
              />
              <text x={x(blocks.length - 0.5) + 4} y={height - 4} className="fill-quiet text-xs">
                second session
              </text>
            </g>
          )}
          <text x={left} y={height - 4} className="fill-quiet text-xs">
            in the order measured
          </text>
          {block && (
            <line
              x1={x(read.at ?? 0)}
              x2={x(read.at ?? 0)}
              y1={4}
              y2={height - 18}
              className="stroke-focus"
            />
          )}
          {all.map((b, i) => (
            // biome-ignore lint/suspicious/noArrayIndexKey: a block is named by its place in the order.
            <g key={i} className="stroke-ink" opacity={b.leftOut ? 0.5 : 1}>
              <circle cx={x(i)} cy={y(b.beforeUs)} r={2.3} fill="none" strokeWidth={1} />
              <circle cx={x(i)} cy={y(b.afterUs)} r={2.3} className="fill-ink" strokeWidth={0} />
              {b.leftOut && <path d={`M${x(i) - 3} ${y(b.beforeUs) - 3}l6 6m0 -6l-6 6`} strokeWidth={1} />}
            </g>
          ))}
        </svg>
      </ReadAlong>
      <p className="min-h-[1.4em] text-sm text-quiet">{block && told(block, (read.at ?? 0) + 1)}</p>
      {out > 0 && (
        <figcaption className="text-sm text-quiet">
          {out} crossed: left out, because the machine was taken away while they ran.
        </figcaption>
      )}
    </figure>
  );
}
