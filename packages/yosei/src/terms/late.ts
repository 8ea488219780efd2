/** Properties that are made when they are asked for. */

/** A constructor that gives what it was given, so that a class can put a field of its own into any object. */
class Given {
  constructor(object: object) {
    // biome-ignore lint/correctness/noConstructorReturn: that is what it is for.
    return object
  }
}

/**
 * What gives an object an own property that is made when it is asked for, so that a copy has it too. All objects share one
 * function: V8 gives an object with a function of its own a shape of its own, which costs more than the object.
 */
/* @__NO_SIDE_EFFECTS__ */
export function late<Name extends string, From, Value>(
  name: Name,
  make: (from: From) => Value,
): <O extends object>(object: O, from: From) => O & { readonly [K in Name]: Value } {
  class Late extends Given {
    readonly #from: From
    static readonly #property: PropertyDescriptor & ThisType<Late> = {
      enumerable: true,
      configurable: true,
      get() {
        return make(this.#from)
      },
    }
    constructor(object: object, from: From) {
      super(object)
      this.#from = from
      Object.defineProperty(this, name, Late.#property)
    }
  }
  return (object, from) => new Late(object, from) as never
}
