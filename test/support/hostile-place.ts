import { temporaryFolder, writeFiles } from "./builds.ts";
import { ProjectHere } from "./called-here.ts";
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
    return new Project(this.settingsOf(build, more), this.sandbox.facts);
  }

  /** The same, called in this process by day. */
  projectHereOf(build: string): ProjectHere {
    return new ProjectHere(this.settingsOf(build, ""), this.sandbox.facts);
  }

  private settingsOf(build: string, more: string): string {
    const settings = this.sandbox.settings(build, "", `hostile-${++this.count}`);
    return settings.replace("folder:", `${more}folder:`);
  }
}

/** A small build that nothing is wrong with. */
export const makeBuild = (): string =>
  writeFiles(temporaryFolder("build"), { "index.html": "<p>ferry</p>", "app.css": "p{}" });
