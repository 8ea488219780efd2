/** The interface by which form libraries and others take a field as it is: Standard Schema, version 1. */

/** Judges a value as JSON. `libraryOptions` may have the options of `judgeValue`. */
export interface StandardProps<out I, out O> {
  readonly version: 1
  readonly vendor: string
  readonly types?: StandardTypes<I, O> | undefined
  validate(value: unknown, options?: StandardOptions): StandardValue<O> | StandardIssues
}
interface StandardTypes<out I, out O> {
  readonly input: I
  readonly output: O
}
interface StandardOptions {
  readonly libraryOptions?: Record<string, unknown> | undefined
}
interface StandardValue<out O> {
  readonly value: O
  readonly issues?: undefined
}
interface StandardIssues {
  readonly issues: readonly { readonly message: string; readonly path: readonly (string | number)[] }[]
}

/** What a field has besides its own. */
interface Standard {
  readonly '~standard': StandardProps<unknown, unknown>
}

type PropsOf = (field: never) => StandardProps<unknown, unknown>
let propsOf: PropsOf | undefined
const known = /* @__PURE__ */ new WeakMap<object, StandardProps<unknown, unknown>>()

/** Who judges by fields: declarations do not know it. A page gives way to a service beside it. */
export const judgeStandardBy = (by: PropsOf, givesWay = false): void => {
  if (!(propsOf && givesWay)) propsOf = by
}

/** One getter for all fields, so that V8 keeps them alike: a getter of each its own made every node slow to look into. */
const standard = {
  get(this: object) {
    const made = known.get(this) ?? propsOf?.(this as never)
    if (made) known.set(this, made)
    return made
  },
}
/** A node as a frozen field with what the standard asks for: not listed among its options, made when it is asked for. */
export const fieldOf = <F extends object>(node: F) =>
  Object.freeze(Object.defineProperty({ ...node }, '~standard', standard)) as F & Standard

/** Whether an object is such a field, of this copy of the library or another; data may look like one. */
export const isFieldNode = (value: object): boolean =>
  Object.getOwnPropertyDescriptor(value, '~standard')?.get !== undefined
