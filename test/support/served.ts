import { once } from "node:events";
import { request as ask, type IncomingMessage } from "node:http";
import { request as askSecurely } from "node:https";
import type { Project } from "./program.ts";

/** A project whose build is served, and what it has said. */
export class Served {
  private constructor(
    readonly project: Project,
    private readonly child: ReturnType<Project["start"]>,
    readonly said: { out: string; err: string },
  ) {}

  static async start(project: Project, args: readonly string[]): Promise<Served> {
    const child = project.start(["serve", "--port", "0", ...args]);
    const served = new Served(project, child, { out: "", err: "" });
    child.stdout?.on("data", (chunk) => (served.said.out += String(chunk)));
    child.stderr?.on("data", (chunk) => (served.said.err += String(chunk)));
    const ended = once(child, "exit");
    while (!served.said.out.includes("\n\n"))
      await Promise.race([served.wait(), ended.then(() => Promise.reject(new Error(served.said.err)))]);
    return served;
  }

  get address(): string {
    return this.said.out.split("\n")[0] as string;
  }

  wait = (): Promise<void> => new Promise((done) => setTimeout(done, 20));

  async hears(text: RegExp): Promise<void> {
    while (!text.test(this.said.err)) await this.wait();
  }

  /** A path as it stands: nothing on the way makes it tidy. */
  async get(
    path: string,
    headers: Record<string, string> = {},
  ): Promise<{ status: number | undefined; headers: IncomingMessage["headers"]; body: string }> {
    const { hostname, port, protocol } = new URL(this.address);
    const options = { hostname, port, path, headers, agent: false, rejectUnauthorized: false };
    const call = (protocol === "https:" ? askSecurely : ask)(options).end();
    const [response] = (await once(call, "response")) as [IncomingMessage];
    let body = "";
    for await (const chunk of response.setEncoding("utf8")) body += String(chunk);
    return { status: response.statusCode, headers: response.headers, body };
  }

  async stop(): Promise<number | null> {
    this.child.kill("SIGINT");
    const [exit] =
      this.child.exitCode === null
        ? ((await once(this.child, "exit")) as [number | null])
        : [this.child.exitCode];
    return exit;
  }
}
