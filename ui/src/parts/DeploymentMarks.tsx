import type { Deployment } from "../api/daybook";

/** Deployments standing on a course, in dashes those that nobody announced. */
export function DeploymentMarks(p: {
  deployments: Deployment[];
  x: (at: number) => number;
  top: number;
  bottom: number;
}) {
  return p.deployments.map((d) => {
    const at = p.x(Date.parse(d.at));
    return (
      <g key={d.id}>
        <line
          x1={at}
          x2={at}
          y1={p.top - 4}
          y2={p.bottom}
          className="stroke-strong"
          strokeDasharray={d.noticed ? "3 3" : undefined}
        />
        <text x={at} y={p.top - 7} textAnchor="middle" className="fill-ink text-xs">
          {d.version || "?"}
        </text>
      </g>
    );
  });
}
