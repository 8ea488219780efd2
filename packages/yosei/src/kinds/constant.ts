/** Exactly one value. */
import type { Declared } from '../terms/declared.js'
import { aConstant, required } from '../terms/option-types.js'
import type { SoundOf } from './kind.js'
import { isBare, isText, literal, measureOf, scalar, scalarCode, Wrong, zero } from './scalar.js'

declare module './kind.js' {
  interface Kinds {
    constant: ConstantNode
  }
}
export interface ConstantNode extends Declared {
  readonly kind: 'constant'
  readonly value: string | number | boolean | null
}

export const constantWords = {
  'wrong_type.constant': 'must be {limit}',
  not_constant: 'must be {limit}',
  'not_constant.secret': 'is not the allowed value',
  'form.constant': '{value}',
}

export const constant = scalar<ConstantNode, ConstantNode['value']>({
  words: constantWords,
  measures: ({ value }) => [measureOf(value)],
  takesNull: ({ value }) => value === null,
  parse(node, value, source) {
    const fromText = isText(value, source)
    if (value === node.value || (fromText && String(node.value) === value)) return node.value
    const known = fromText || (node.value !== null && typeof value === typeof node.value)
    const isQuoted = !known && node.value !== null && String(node.value) === value
    const isUnquoted = !known && isBare(value) && String(value) === node.value
    return new Wrong(known ? 'not_constant' : 'wrong_type', node.value, {
      hint: isQuoted ? 'quotes' : undefined,
      ...(isUnquoted ? { variant: 'quoted' } : {}),
      isDeclared: true,
    })
  },
})

/** Whether its options make sense. */
export const constantSound: SoundOf<ConstantNode> = { options: { value: required(aConstant) }, check: () => undefined }

export const constantOf = ({ value }: ConstantNode) => value
export const textOf = ({ value }: ConstantNode) => String(value)

export const constantCode = scalarCode<ConstantNode>((writer, node, read, { source }) => {
  const { value, secret } = node
  const written = (one: typeof value, maker = constantOf) => (secret ? writer.make(maker, node) : literal(writer, one))
  if (source === 'json' || typeof value === 'string')
    return source === 'text' && value === ''
      ? { test: 'false' }
      : { test: `${read} === ${written(value)}`, ...zero(read, [value]) }
  const isText = `${read} === ${written(String(value), textOf)}`
  return {
    test: source === 'text' ? isText : `${isText} || ${read} === ${written(value)}`,
    value: written(Object.is(value, -0) ? 0 : value),
  }
})
