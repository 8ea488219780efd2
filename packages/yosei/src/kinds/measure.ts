/** What the values of a kind are compared as: two of different measures do not compare. */
import type { Kinds } from './kind.js'
import type { Shape } from './locate.js'

/** `own`: values that a service makes itself, or says nothing about. They are compared with anything. */
export type Measure =
  | 'number'
  | 'duration'
  | 'instant'
  | 'date'
  | 'time'
  | 'time of day'
  | 'text'
  | 'flag'
  | 'file'
  | 'list'
  | 'object'
  | 'own'

const ofValue = (value: unknown): Measure =>
  typeof value === 'string' ? 'text' : typeof value === 'boolean' ? 'flag' : value === null ? 'own' : 'number'

const measures: { readonly [K in Shape['kind']]: (node: Kinds[K]) => readonly Measure[] } = {
  text: ({ format }) =>
    format === 'time' || format === 'date' ? [format] : format === 'date-time' ? ['instant'] : ['text'],
  integer: () => ['number'],
  number: () => ['number'],
  bigInteger: () => ['number'],
  decimal: () => ['number'],
  duration: () => ['duration'],
  instant: () => ['instant'],
  day: () => ['date'],
  timeOfDay: () => ['time of day'],
  flag: () => ['flag'],
  choice: ({ values }) => [...new Set(values.map(ofValue))],
  constant: ({ value }) => [ofValue(value)],
  list: () => ['list'],
  tuple: () => ['list'],
  record: () => ['object'],
  table: () => ['object'],
  tagged: () => ['object'],
  file: () => ['file'],
  readAs: () => ['own'],
  anything: () => ['own'],
}

export const measuresOf = (shape: Shape): readonly Measure[] =>
  (measures[shape.kind] as (node: Shape) => readonly Measure[])(shape)
