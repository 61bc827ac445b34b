import type { ObjectStore } from "../../src/ports/object-store.ts";

/** The same store with other calls in the place of some. */
export const around = (store: ObjectStore, calls: Partial<ObjectStore>): ObjectStore =>
  new Proxy<ObjectStore>(store, {
    get: (target, name) => {
      if (name in calls) return Reflect.get(calls, name) as unknown;
      const value: unknown = Reflect.get(target, name);
      return typeof value === "function" ? (value.bind(target) as unknown) : value;
    },
  });
