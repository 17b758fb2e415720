import { type ReactNode, useRef } from "react";
import { useOneStop } from "./oneStop";

/** The body of a table as one stop of the Tab key. */
export function Rows({ children }: { children: ReactNode }) {
  const body = useRef<HTMLTableSectionElement>(null);
  useOneStop(body);
  return <tbody ref={body}>{children}</tbody>;
}
