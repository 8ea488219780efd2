/**
 * True or false; as text `true`, `false`, `1` or `0`. A bare `?name` in a query is true, and `on` in a form, which is what
 * a checkbox sends.
 */
import type { Declared } from '../terms/declared.js'
import type { SoundOf, Test } from './kind.js'
import { scalar, scalarCode, Wrong } from './scalar.js'

declare module './kind.js' {
  interface Kinds {
    flag: FlagNode
  }
}
export interface FlagNode extends Declared {
  readonly kind: 'flag'
}

export const flagWords = { 'wrong_type.flag': 'must be true or false', 'form.flag': 'true or false' }

export const flag = scalar<FlagNode, boolean>({
  words: flagWords,
  measures: () => ['flag'],
  parse(_, value, source, run) {
    if (typeof value === 'boolean') return value
    if (source !== 'json') {
      if (value === 'true' || value === '1') return true
      if (value === 'false' || value === '0') return false
      // A checkbox that says nothing else sends this (HTML, section 4.10.5.4).
      if (value === 'on' && source === 'text' && run.path[0] === 'body') return true
    }
    const isQuoted = source === 'json' && (value === 'true' || value === 'false')
    return new Wrong('wrong_type', undefined, { hint: isQuoted ? 'quotes' : undefined })
  },
})

/** Whether its options make sense. */
export const flagSound: SoundOf<FlagNode> = { options: {}, check: () => undefined }

export const flagCode = scalarCode<FlagNode>((_, __, read, { source, part }) => {
  const either = (yes: readonly string[], no: readonly string[]): Test => {
    const isOne = (values: readonly string[]) => values.map((value) => `${read} === ${value}`).join(' || ')
    return { test: isOne([...yes, ...no]), value: isOne(yes) }
  }
  if (source === 'json') return { test: `${read} === true || ${read} === false` }
  if (source === 'coerced') return either(['true', '"true"', '"1"'], ['false', '"false"', '"0"'])
  return either(['"true"', '"1"', ...(part === 'body' ? ['"on"'] : [])], ['"false"', '"0"'])
})
