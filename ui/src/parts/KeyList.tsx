import { Dialog } from "radix-ui";

const keyList: [string, string][] = [
  ["?", "this list"],
  ["Ctrl+K", "go to a book, trial or change, or do something"],
  ["Up, Down, Home, End", "move along a list"],
  ["Enter", "open what is selected"],
  ["Escape", "close the page on the right"],
  ["/", "search in a list"],
  ["Left, Right", "move the fold, when it has the focus"],
  ["Ctrl+Enter", "start the trial that is being written"],
  ["Tab, Shift+Tab", "to the next or previous control, also out of an editor"],
];

/** The keys that work on every page. */
export function KeyList({ open, onOpenChange }: { open: boolean; onOpenChange: (open: boolean) => void }) {
  return (
    <Dialog.Root open={open} onOpenChange={onOpenChange}>
      <Dialog.Portal>
        <Dialog.Overlay className="fixed inset-0 bg-ink/25" />
        <Dialog.Content
          aria-describedby={undefined}
          className="fixed top-24 left-1/2 w-[34rem] -translate-x-1/2 border border-strong bg-paper p-6"
        >
          <Dialog.Title className="head mb-2">Keys</Dialog.Title>
          <table className="ruled">
            <tbody>
              {keyList.map(([key, what]) => (
                <tr key={key}>
                  <th scope="row" className="w-48">
                    {key}
                  </th>
                  <td>{what}</td>
                </tr>
              ))}
            </tbody>
          </table>
          <Dialog.Close className="press mt-4">Close</Dialog.Close>
        </Dialog.Content>
      </Dialog.Portal>
    </Dialog.Root>
  );
}
