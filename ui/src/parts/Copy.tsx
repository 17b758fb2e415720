import { useEffect, useState } from "react";

/** Puts a text into the clipboard, and says so until one turns to something else. */
export function Copy({
  what,
  text,
  press,
}: {
  what: string;
  text: string | (() => string | Promise<string>);
  /** What is seen, where the place says what is copied. */
  press?: string;
}) {
  const [told, tell] = useState<"" | "copied" | "not copied">("");
  useEffect(() => {
    if (told !== "") {
      const timer = setTimeout(() => tell(""), 20_000);
      return () => clearTimeout(timer);
    }
  }, [told]);
  const copy = async () => {
    try {
      await put(typeof text === "string" ? text : await text());
      tell("copied");
    } catch {
      tell("not copied");
    }
  };
  return (
    <button
      type="button"
      className="link whitespace-nowrap font-normal"
      onClick={copy}
      onBlur={() => tell("")}
    >
      <span className="sr-only">Copy {press && what}</span>
      {press ? <span aria-hidden="true">{press}</span> : what}
      <span role="status" className="text-quiet">
        {told && ` ${told}`}
      </span>
    </button>
  );
}

/** By the clipboard, or, on a page that did not come over TLS, by a selection. */
async function put(text: string) {
  if (navigator.clipboard) {
    await navigator.clipboard.writeText(text);
    return;
  }
  const field = document.createElement("textarea");
  field.value = text;
  document.body.append(field);
  field.select();
  const done = document.execCommand("copy");
  field.remove();
  if (!done) {
    throw new Error("The browser did not copy.");
  }
}
