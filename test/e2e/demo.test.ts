import { readdirSync } from "node:fs";
import { Project } from "../support/program.ts";

test("the demo shows a delivery, a preview that goes live, the way back, and what visitors see of them, and leaves nothing behind", async () => {
  const project = new Project("", { accessKeyId: "", secretAccessKey: "" });
  const { exit, stdout, stderr } = await project.run(["demo"], { TMPDIR: project.folder });
  expect({ exit, stderr }).toEqual({ exit: 0, stderr: "" });
  expect(stdout).toMatch(
    /release 1 is delivered[\s\S]*preview\/new-crossing\n +release 1 is delivered[\s\S]*release 2 is delivered, from preview\/new-crossing@1; it replaces release 1[\s\S]*404 {2}\/crossings\/gull-point\/ .*removed[\s\S]*nothing was written[\s\S]*release 3 is delivered; it replaces release 2 and puts release 1 back/,
  );
  expect(stdout).toMatch(/200 {2}\/assets\/departures-\w+\.js .*kept/);
  expect(stdout).toMatch(/\/crossings\/cape-wren\/\s.*release 3 removed it\n\s*mend {3}redirects: /);
  expect(readdirSync(project.folder)).toEqual(["courier.yaml"]);
});
