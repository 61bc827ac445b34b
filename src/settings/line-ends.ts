/** A text that is added to a file, or takes its place, ends lines as the file does: with CRLF where all of its lines do. */
export function withLineEndsOf(file: string, text: string): string {
  const isWindows = file.includes("\n") && !/(^|[^\r])\n/.test(file);
  return isWindows ? text.replace(/\r?\n/g, "\r\n") : text;
}
