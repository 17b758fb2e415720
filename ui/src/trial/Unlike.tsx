/** What sets the copies apart from the subject: the first sentence at once, the others a step away. */
export function Unlike({ notes }: { notes: string[] }) {
  const [first, ...others] = notes;
  if (!first) {
    return null;
  }
  return others.length === 0 ? (
    <p className="text-quiet">{first}</p>
  ) : (
    <details className="text-quiet">
      <summary>{first}</summary>
      {others.map((n) => (
        <p key={n} className="pl-4">
          {n}
        </p>
      ))}
    </details>
  );
}
