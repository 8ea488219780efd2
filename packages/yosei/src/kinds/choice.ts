/** One of some values. */
import type { Declared } from '../terms/declared.js'
import { aNumber, aText, byName, eitherOf, listOf, required } from '../terms/option-types.js'
import type { SoundOf, Source } from './kind.js'
import { isBare, isText, literal, measureOf, miss, scalar, scalarCode, Wrong, zero } from './scalar.js'

declare module './kind.js' {
  interface Kinds {
    choice: ChoiceNode
  }
}
export interface ChoiceNode extends Declared {
  readonly kind: 'choice'
  readonly values: readonly (string | number)[]
  readonly titles?: { readonly [value: string]: string }
}

export const choiceWords = {
  'wrong_type.choice': 'must be one of {limit}',
  'missing.choice': 'must be sent, as one of {limit}',
  not_a_choice: 'must be one of {limit}',
  'not_a_choice.secret': 'is not one of the allowed values',
  'form.choice': 'one of {value}',
}

/** Each value by itself, if JSON is read, and by its text, if text is; an empty text counts as not sent. */
export function valuesBySent({ values }: ChoiceNode, source: Source): ReadonlyMap<unknown, string | number> {
  const own = source === 'text' ? [] : values.map((one) => [one, one] as const)
  const texts = source === 'json' ? [] : values.map((one) => [String(one), one] as const)
  return new Map<unknown, string | number>([...texts, ...own].filter(([sent]) => source !== 'text' || sent !== ''))
}

export const valuesOf = ({ values }: ChoiceNode): ReadonlySet<unknown> => new Set(values)

export const choice = scalar<ChoiceNode, string | number>({
  words: choiceWords,
  measures: ({ values }) => [...new Set(values.map(measureOf))],
  accepts: (node, source) => {
    const known = valuesBySent(node, source)
    return (value) => known.get(value) ?? miss
  },
  parse({ values }, value, source) {
    const fromText = isText(value, source)
    // Searched by the language itself: V8 walks frozen lists slowly.
    const index = fromText ? values.findIndex((one) => String(one) === value) : values.indexOf(value as string)
    if (index >= 0) return values[index] as string | number
    const known = fromText || typeof values[0] === typeof value || values.some((one) => typeof one === typeof value)
    const isQuoted = !known && values.some((one) => String(one) === value)
    const isUnquoted = !known && !isQuoted && isBare(value) && values.includes(String(value))
    return new Wrong(known ? 'not_a_choice' : 'wrong_type', values, {
      hint: isQuoted ? 'quotes' : undefined,
      ...(isUnquoted ? { variant: 'quotedChoice' } : {}),
      isDeclared: true,
    })
  },
})

/** Whether its options make sense. */
export const choiceSound: SoundOf<ChoiceNode> = {
  options: { values: required(listOf(eitherOf(aText, aNumber))), titles: byName(aText) },
  check({ values, titles = {} }, refuse) {
    if (values.length === 0) refuse('the choice is empty', "Give it a value: choice(['a'])", 'values')
    const seen = new Set<string>()
    const twice = values.map(String).find((text) => seen.size === seen.add(text).size)
    if (twice !== undefined) refuse(`the choice has ${twice} twice`, 'Name each value once', 'values')
    const stray = Object.keys(titles).find((value) => !values.some((one) => String(one) === value))
    if (stray !== undefined)
      refuse(`${stray} has a title, and is no choice`, 'Add it to the values, or take its title away', 'titles')
  },
}

export const choiceCode = scalarCode<ChoiceNode>((writer, node, read, { source }) => {
  const { values, secret } = node
  const areTexts = values.every((value) => typeof value === 'string' && (value !== '' || source !== 'text'))
  if (source !== 'json' && !areTexts) {
    const found = writer.name('t')
    return {
      prepare: `let ${found}`,
      test: `(${found} = ${writer.make(valuesBySent, node, source)}.get(${read})) !== undefined`,
      value: found,
    }
  }
  const equal = values.map((value) => `${read} === ${literal(writer, value)}`).join(' || ')
  return {
    test: secret || values.length > 12 ? `${writer.make(valuesOf, node)}.has(${read})` : equal,
    ...zero(read, values),
  }
})
