/** A declaration that makes no sense. It is thrown when you declare it, never while a request is validated. */
export class DeclarationError extends Error {
  override readonly name = 'DeclarationError'
  /** The endpoint, rule or function in which it is. */
  readonly where: string
  /** What is wrong. */
  readonly what: string
  /** What to do. */
  readonly mend: string
  /** The address of the field, if it is in one. */
  readonly address: string | undefined
  /** The option, if it is in one. */
  readonly option: string | undefined

  constructor(where: string, what: string, mend: string, { address, option }: MistakenPlace = {}) {
    // Deep inside of a declaration; its stack must still reach the line of yours.
    const { stackTraceLimit } = Error
    Reflect.set(Error, 'stackTraceLimit', 50)
    super(`${address === undefined ? where : `${where}, ${address}`}: ${what}. ${mend}.`)
    Reflect.set(Error, 'stackTraceLimit', stackTraceLimit)
    this.where = where
    this.what = what
    this.mend = mend
    this.address = address
    this.option = option
  }
}
interface MistakenPlace {
  readonly address?: string | undefined
  readonly option?: string | undefined
}

/** Throws; `where` names the endpoint, field or rule, `what` is wrong, `mend` says what to do. */
export function mistake(where: string, what: string, mend: string, place?: MistakenPlace): never {
  throw new DeclarationError(where, what, mend, place)
}

const returns = { rules: '[ … ]', may: "on.is('who.role', 'clerk')", lookups: '({ one: on.lookup({ … }) })' } as const

/** What a function of a declaration has returned: braces without `return` give nothing, and nothing would hold. */
export function returned<V>(where: string, option: keyof typeof returns, value: V): V {
  if (value === undefined || value === null)
    mistake(where, `${option} returns nothing`, `Return what on made: ${option}: (on) => ${returns[option]}`, {
      option,
    })
  return value
}

/** A mistake that is made inside is reported with the place that it has outside. */
export function placed<T>(where: string, work: () => T): T {
  try {
    return work()
  } catch (error) {
    if (!(error instanceof DeclarationError)) throw error
    mistake(`${where}, ${error.where}`, error.what, error.mend, error)
  }
}

/** What makes no sense about a rule or a condition, and the mend. */
export type Mistake = readonly [what: string, mend: string]
export const sound = (): undefined => undefined
