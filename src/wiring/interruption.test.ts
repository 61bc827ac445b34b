import { OperatorError } from "../core/model/failure.ts";
import { followSignal, Stopped } from "./interruption.ts";

test("a stop gives up what waits and what is read, tells its reason, and leaves what is asked afterwards alone", async () => {
  const controller = new AbortController();
  const run = followSignal(controller.signal);
  const [socket, refused] = [new Error("socket hang up"), new OperatorError("denied")];
  run.assertGoesOn();
  expect([run.stop().aborted, run.explain(socket), await run.orStop(Promise.resolve("read"))]).toEqual([false, socket, "read"]);
  const waiting = run.orStop(new Promise(() => undefined));
  const before = run.stop();
  const reason = new Error("the branch is gone");
  controller.abort(reason);
  await expect(waiting).rejects.toMatchObject({ code: "interrupted", cause: reason });
  expect([before.aborted, run.stop().aborted]).toEqual([true, false]);
  expect(() => { run.assertGoesOn(); }).toThrow("interrupted");
  // A request that was given up, or a helper that Ctrl-C reached, says nothing of its own; a refusal does.
  expect(run.explain(socket)).toMatchObject({ code: "interrupted", cause: reason });
  expect(run.explain(new OperatorError("no-credentials"))).toMatchObject({ code: "interrupted", cause: reason });
  expect(run.explain(refused)).toBe(refused);
  // Letting go of the destination waits, too.
  expect(await run.orStop(Promise.resolve("let go"))).toBe("let go");
  run.end();

  const ended = followSignal(AbortSignal.abort(new Stopped("terminated")));
  expect(() => { ended.assertGoesOn(); }).toThrow("terminated");
  expect(ended.explain(socket)).toMatchObject({ code: "terminated" });
  const never = followSignal(undefined);
  never.assertGoesOn();
  expect(never.explain(socket)).toBe(socket);
}); // prettier-ignore
