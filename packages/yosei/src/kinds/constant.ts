/** Exactly one value. */
import type { Declared } from '../terms/declared.js'
import { aConstant, required } from '../terms/taken.js'
import { tellOther } from './run.js'
import { isText, literal, scalar, scalarCode, zero } from './scalar.js'

declare module './kind.js' {
  interface Kinds {
    constant: ConstantNode
  }
}
export interface ConstantNode extends Declared {
  readonly kind: 'constant'
  readonly value: string | number | boolean | null
}

export const constant = scalar<ConstantNode>({
  options: { value: required(aConstant) },
  check: () => undefined,
  takesNull: ({ value }) => value === null,
  readScalar(node, value, run, source) {
    const fromText = isText(value, source)
    if (value === node.value || (fromText && String(node.value) === value)) return node.value
    const known = fromText || (typeof value === typeof node.value && value !== null)
    const isQuoted = !known && node.value !== null && String(node.value) === value
    return tellOther(
      run,
      node,
      known ? 'not_constant' : 'wrong_type',
      value,
      node.value,
      isQuoted ? 'quotes' : undefined,
    )
  },
})

export const constantCode = scalarCode<ConstantNode>((writer, { value, secret }, read, source) => {
  if (source === 'text' && (typeof value !== 'string' || value === '')) return {}
  return { test: `${read} === ${secret ? writer.bind(value) : literal(writer, value)}`, ...zero(read, [value]) }
})
