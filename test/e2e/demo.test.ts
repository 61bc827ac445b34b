import { readdirSync } from "node:fs";
import { Project } from "../support/program.ts";

test("the demo shows a delivery, a preview that goes live, the way back, and what visitors see of them, and leaves nothing behind", async () => {
  const project = new Project("", { accessKeyId: "", secretAccessKey: "" });
  const { exit, stdout, stderr } = await project.run(["demo"], { TMPDIR: project.folder });
  expect({ exit, stderr }).toEqual({ exit: 0, stderr: "" });
  expect(stdout).toMatch(
    /release 1\n[\s\S]*preview\/new-crossing: release 1\n[\s\S]*release 2 after 1, takes over preview\/new-crossing@1\n[\s\S]*404 {2}\/crossings\/gull-point\/ .*removed[\s\S]*nothing was written[\s\S]*release 3 after 2, puts back release 1/,
  );
  expect(stdout).toMatch(/200 {2}\/assets\/departures-\w+\.js .*kept/);
  expect(stdout).toMatch(/\/crossings\/cape-wren\/ .*removed by release 3\n\s*mend {2}redirects: /);
  expect(readdirSync(project.folder)).toEqual(["courier.yaml"]);
});
