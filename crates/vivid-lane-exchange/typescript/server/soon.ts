// What is at hand at once for most requests, and for some takes its time: nobody waits where there is nothing to wait for.

/** A value, or the promise of one. */
export type Soon<Value> = Value | Promise<Value>;

function isPromise<Value>(value: Soon<Value>): value is Promise<Value> {
  return typeof (value as { readonly then?: unknown } | null | undefined)?.then === "function";
}

/** Goes on with what is made, at once where it is there; what fails on the way goes to `failed`. */
export function goOn<Made, Next>(make: () => Soon<Made>, next: (made: Made) => Soon<Next>, failed: (error: unknown) => Soon<Next>): Soon<Next> {
  let made: Soon<Made>;
  try {
    made = make();
    if (!isPromise(made)) return next(made);
  } catch (error) {
    return failed(error);
  }
  return made.then(next).catch(failed);
}
