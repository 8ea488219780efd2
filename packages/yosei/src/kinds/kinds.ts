/**
 * Every kind: how it reads, the code that is made for it, and what of it makes sense. No page imports these tables: there
 * each builder brings its own kind.
 */
import { anything, anythingCode, anythingSound } from './anything.js'
import { bigInteger, bigIntegerCode, bigIntegerSound } from './big-integer.js'
import { choice, choiceCode, choiceSound } from './choice.js'
import { constant, constantCode, constantSound } from './constant.js'
import { day, dayCode, daySound } from './day.js'
import { decimal, decimalCode, decimalSound } from './decimal.js'
import { duration, durationCode, durationSound } from './duration.js'
import { either, eitherCode, eitherSound } from './either.js'
import { file, fileCode, fileSound } from './file.js'
import { flag, flagCode, flagSound } from './flag.js'
import { instant, instantCode, instantSound } from './instant.js'
import type { CodeOf, Kind, Kinds, KindTable, SoundOf } from './kind.js'
import { later, laterCode, laterSound } from './later.js'
import { list, listCode, listSound } from './list.js'
import { integer, integerCode, integerSound, number, numberCode, numberSound } from './number.js'
import { readAs, readAsCode, readAsSound } from './read-as.js'
import { record, recordCode, recordSound } from './record.js'
import { schema, schemaCode, schemaSound } from './schema.js'
import { table, tableCode, tableSound } from './table.js'
import { tagged, taggedCode, taggedSound } from './tagged.js'
import { text, textCode, textSound } from './text.js'
import { timeOfDay, timeOfDayCode, timeOfDaySound } from './time-of-day.js'
import { tuple, tupleCode, tupleSound } from './tuple.js'

export const everyKind: KindTable = {
  text,
  integer,
  number,
  bigInteger,
  decimal,
  flag,
  instant,
  day,
  timeOfDay,
  duration,
  choice,
  constant,
  list,
  tuple,
  record,
  table,
  tagged,
  either,
  later,
  readAs,
  anything,
  schema,
  file,
}

export const codes: { readonly [K in Kind]: CodeOf<Kinds[K]> } = {
  text: textCode,
  integer: integerCode,
  number: numberCode,
  bigInteger: bigIntegerCode,
  decimal: decimalCode,
  flag: flagCode,
  instant: instantCode,
  day: dayCode,
  timeOfDay: timeOfDayCode,
  duration: durationCode,
  choice: choiceCode,
  constant: constantCode,
  list: listCode,
  tuple: tupleCode,
  record: recordCode,
  table: tableCode,
  tagged: taggedCode,
  either: eitherCode,
  later: laterCode,
  readAs: readAsCode,
  anything: anythingCode,
  schema: schemaCode,
  file: fileCode,
}

export const sounds: { readonly [K in Kind]: SoundOf<Kinds[K]> } = {
  text: textSound,
  integer: integerSound,
  number: numberSound,
  bigInteger: bigIntegerSound,
  decimal: decimalSound,
  flag: flagSound,
  instant: instantSound,
  day: daySound,
  timeOfDay: timeOfDaySound,
  duration: durationSound,
  choice: choiceSound,
  constant: constantSound,
  list: listSound,
  tuple: tupleSound,
  record: recordSound,
  table: tableSound,
  tagged: taggedSound,
  either: eitherSound,
  later: laterSound,
  readAs: readAsSound,
  anything: anythingSound,
  schema: schemaSound,
  file: fileSound,
}
