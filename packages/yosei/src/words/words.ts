/**
 * What every language that is shipped must have words for: a code, kind, format or condition without them does not compile.
 */
import type { FormatKey } from '../grammar/formats.js'
import type { Kind } from '../kinds/kind.js'
import type { ConditionName } from '../rules/condition.js'
import type { Code } from '../terms/codes.js'
import type { Catalogue } from '../terms/hooks.js'

/** Kinds that are never of another type: what stands behind them, or for them, is. */
type Worded = Exclude<Kind, 'either' | 'later' | 'readAs' | 'anything' | 'schema'>

export type Words = Catalogue & {
  readonly [K in Code | `wrong_type.${Worded}` | FormatKey | `when.${ConditionName}`]: string
}
