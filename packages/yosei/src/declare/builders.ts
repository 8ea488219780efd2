/** What fields are declared with, in services and pages. */

export type { ByteRange, EntityTag } from '../grammar/http.js'
export {
  anything,
  bigInteger,
  choice,
  constant,
  day,
  decimal,
  duration,
  either,
  file,
  flag,
  instant,
  integer,
  later,
  lines,
  list,
  number,
  readAs,
  record,
  table,
  tagged,
  text,
  timeOfDay,
  tuple,
} from './fields.js'
export { byteRanges, type EpochOptions, entityTags, epoch, httpDate, type SortKey, sortKeys } from './readers.js'
export { adding, allOptional, like, only, without } from './variants.js'
