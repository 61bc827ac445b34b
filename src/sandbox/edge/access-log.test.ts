import { mkdtempSync, readFileSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { openAccessLog } from "./access-log.ts";

test("one line for each request, whatever visitors send, and none of what a signed address carries", () => {
  const file = join(mkdtempSync(join(tmpdir(), "courier-test-log-")), "log");
  const log = openAccessLog(file);
  const line = { point: "point-1", method: "GET", status: 200, bytes: 1, seconds: 0.1, cacheStatus: "hit" };
  log({
    ...line,
    path: "/a b\n#Fields: x",
    query: "X-Amz-Signature=tide&a=1&x-amz-security-token=harbour",
    referrer: 'http://x/"\r\n',
    agent: "browser",
  });
  const lines = readFileSync(file, "utf8").trimEnd().split("\n");
  expect(lines).toHaveLength(3);
  expect(lines[2]).toContain(" /a_b_#Fields:_x X-Amz-Signature=-&a=1&x-amz-security-token=- 200 ");
});
