/** Not a rule but a value: made of others where none was sent, before any rule judges. */
import { addReading } from '../kinds/run.js'
import { type Address, type At, tellAddress, valueAt } from '../terms/address.js'
import { put } from '../terms/own.js'
import { concrete, eachOnce, pathOf } from './matter.js'
import { type Reads, type Rule, type RuleOf, sound, type Values } from './rule.js'

declare module './rule.js' {
  interface Rules {
    fill: Fill
  }
}
export interface FillMaker<T> {
  /** A value derived from others when it was not sent, before any rule runs. `undefined` leaves it unsent. */
  fill<A extends Address<T>, const R extends Reads<T>>(
    address: A,
    reads: R,
    make: (...values: Values<T, R>) => NonNullable<At<T, A>> | undefined,
  ): Rule
}
export interface Fill extends Rule {
  readonly rule: 'fill'
  readonly address: string
  readonly make: (...values: never[]) => unknown
}

export const fill: RuleOf<Fill> = {
  make: (address: string, reads: readonly string[], make: Fill['make']) => ({
    rule: 'fill',
    code: '',
    address,
    make,
    reads,
    blames: [],
  }),
  waits: true,
  derives: true,
  names: ({ address }) => [address],
  mistake: sound,
  /** Element by element where both lie under the same `[]`. */
  judge(rule, { input, base, run }) {
    const path = pathOf(rule.address, base)
    const reads = rule.reads.map((address) => {
      const read = pathOf(address, base)
      return eachOnce(read, (indices) => {
        const [one, ...others] = concrete(input, read, indices)
        return valueAt(input, one && others.length === 0 ? one : read)
      })
    })
    for (const holder of concrete(input, path.slice(0, -1))) {
      const name = path.at(-1) as string
      const object = valueAt(input, holder)
      if (typeof object !== 'object' || object === null || valueAt(object, [name]) !== undefined) continue
      const made = rule.make(...(reads.map((read) => read(holder)) as never[]))
      if (made === undefined) continue
      put(object as { [name: string]: unknown }, name, made)
      if (run?.trace)
        addReading(run.trace, { address: tellAddress([...holder, name]), sent: undefined, read: made, how: 'filled' })
    }
    return []
  },
  sentence: ({ address, reads }) => ({ code: 'rule', variant: 'fill', about: { addresses: reads }, at: [address] }),
}
