import type { ReactNode } from "react";
import type { useReadOut } from "./readOut";

type Props = {
  /** What the picture shows. */
  label: string;
  /** How many points it has. */
  count: number;
  read: ReturnType<typeof useReadOut>;
  /** The point that is read, in words. */
  told: string;
  /** What arrow keys do while none is read. */
  hint?: string;
  onKey?: (e: React.KeyboardEvent) => void;
  className?: string;
  children: ReactNode;
};

/** A picture whose points arrow keys read out, one after the other. */
export function ReadAlong({
  label,
  count,
  read,
  told,
  hint = "arrow keys read it out",
  onKey,
  className,
  children,
}: Props) {
  return (
    <div
      role="slider"
      tabIndex={0}
      aria-label={label}
      aria-valuemin={0}
      aria-valuemax={Math.max(0, count - 1)}
      aria-valuenow={read.at ?? 0}
      aria-valuetext={told || hint}
      className={className}
      {...read.props}
      onKeyDown={(e) => {
        onKey?.(e);
        read.props.onKeyDown(e);
      }}
    >
      {children}
    </div>
  );
}
