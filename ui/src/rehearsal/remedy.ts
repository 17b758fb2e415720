/** The same load with commits by hundreds on the after side; undefined where a part has a rate, or says so already. */
export function inHundreds(load: string): string | undefined {
  if (/^\s*--\s*(rate|commit after)\s*:/im.test(load)) {
    return undefined;
  }
  return /^\s*--\s*part\s*:/im.test(load)
    ? load.replace(/^(\s*--\s*part\s*:.*)$/gim, "$1\n-- commit after: every 100")
    : `-- part: all\n-- sessions: 8\n-- commit after: every 100\n\n${load}`;
}
