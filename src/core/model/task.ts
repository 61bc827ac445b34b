/** What a run waits for without a step of its own: reading a build and its destination, or asking a site as a visitor does. */
export type Task =
  | { readonly code: "read"; readonly what: "build" | "destination" | "build-alone" }
  | { readonly code: "ask"; readonly url: string; readonly addresses: number };
