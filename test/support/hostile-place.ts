import { temporaryFolder, writeFiles } from "./builds.ts";
import { Project, RunningSandbox } from "./program.ts";

/** A sandbox for a test file, and projects that each have a part of its bucket of their own. */
export class HostilePlace {
  sandbox!: RunningSandbox;
  private count = 0;

  constructor() {
    beforeAll(async () => {
      this.sandbox = await RunningSandbox.start();
    });
    afterAll(() => this.sandbox.stop());
  }

  /** @param more goes beside the build's folder in the settings */
  projectOf(build: string, more = ""): Project {
    const settings = this.sandbox.settings(build, "", `hostile-${++this.count}`);
    return new Project(settings.replace("folder:", `${more}folder:`), this.sandbox.facts);
  }
}

/** A small build that nothing is wrong with. */
export const makeBuild = (): string =>
  writeFiles(temporaryFolder("build"), { "index.html": "<p>ferry</p>", "app.css": "p{}" });
