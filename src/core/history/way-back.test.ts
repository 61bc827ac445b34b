import { findGoneContents } from "./way-back.ts";

test("a content that must be sent is gone, but an empty one, which anybody can make", () => {
  const send = (key: string, size: number) => ({ do: "send", parcel: { key, size } });
  const groups = [{ steps: [send("empty.txt", 0), send("film.webm", 1)] }, { steps: [{ do: "copy", to: "app.css" }] }];
  expect(findGoneContents({ phases: [{ name: "stock", groups }] } as never)).toEqual(["film.webm"]);
}); // prettier-ignore
