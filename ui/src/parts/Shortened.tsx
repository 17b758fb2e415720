const kept = 7;

/** A name that gives way in its middle where there is no room: names of one family differ at their end. */
export function Shortened({ name }: { name: string }) {
  return name.length <= 2 * kept ? (
    <>{name}</>
  ) : (
    <span className="inline-flex max-w-full align-bottom" title={name}>
      <span className="truncate">{name.slice(0, -kept)}</span>
      <span className="shrink-0 whitespace-pre">{name.slice(-kept)}</span>
    </span>
  );
}
