import { Link } from "@tanstack/react-router";
import { useStory } from "../api/daybook";
import { duration, moment, ratio } from "../format/figures";
import { VerdictMark } from "../parts/Mark";
import { Wrong } from "../parts/Notice";
import { Rows } from "../parts/Rows";

/** The deployments that moved a statement, in order, and what remains of all of them; nothing where fewer than two did. */
export function Story({ book, hash }: { book: number; hash: string }) {
  const story = useStory(book, hash);
  const page = story.data;
  if (!page?.sentence) {
    return <Wrong error={story.error} />;
  }
  return (
    <section aria-label="Through deployments">
      <h2 className="section">Through deployments</h2>
      <table className="ruled">
        <thead>
          <tr>
            <th scope="col">deployed</th>
            <th scope="col">what it did</th>
            <th scope="col" className="num">
              a call before
            </th>
            <th scope="col" className="num">
              since
            </th>
            <th scope="col">entry</th>
          </tr>
        </thead>
        <Rows>
          {page.rows.map((r) => (
            <tr key={r.deployment.id}>
              <td>
                <Link
                  className="link"
                  to="/books/$bookId/daybook"
                  params={{ bookId: String(book) }}
                  search={{ deployment: r.deployment.id }}
                >
                  {moment(r.deployment.at)}
                </Link>{" "}
                <span className="text-quiet">
                  {r.deployment.version} {r.deployment.what}
                </span>
              </td>
              <td className="whitespace-nowrap">
                <VerdictMark verdict={r.regressed ? "regressed" : "improved"} />{" "}
                <span className="text-quiet">{ratio(r.ratio)}</span>
              </td>
              <td className="num whitespace-nowrap">{duration(r.msBefore)}</td>
              <td className="num whitespace-nowrap">{duration(r.msAfter)}</td>
              <td>
                {r.entry !== null ? (
                  <Link
                    className="link"
                    to="/books/$bookId/entries/$number"
                    params={{ bookId: String(book), number: String(r.entry) }}
                  >
                    {r.entry}
                  </Link>
                ) : (
                  <span className="text-quiet">none</span>
                )}
              </td>
            </tr>
          ))}
        </Rows>
      </table>
      <p className="mt-1">{page.sentence}</p>
    </section>
  );
}
