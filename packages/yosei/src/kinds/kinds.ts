/** Every kind: what holds for it, and the code that is made for it. */
import { anything, anythingCode } from './anything.js'
import { bigInteger, bigIntegerCode } from './big-integer.js'
import { choice, choiceCode } from './choice.js'
import { constant, constantCode } from './constant.js'
import { day, dayCode } from './day.js'
import { decimal, decimalCode } from './decimal.js'
import { duration, durationCode } from './duration.js'
import { either, eitherCode } from './either.js'
import { file, fileCode } from './file.js'
import { flag, flagCode } from './flag.js'
import { instant, instantCode } from './instant.js'
import { type Child, type CodeOf, type Kind, type Kinds, type KindTable, kindOf, type Node } from './kind.js'
import { later, laterCode } from './later.js'
import { list, listCode } from './list.js'
import { integer, integerCode, number, numberCode } from './number.js'
import { readAs, readAsCode } from './read-as.js'
import { record, recordCode } from './record.js'
import { table, tableCode } from './table.js'
import { tagged, taggedCode } from './tagged.js'
import { text, textCode } from './text.js'
import { timeOfDay, timeOfDayCode } from './time-of-day.js'
import { tuple, tupleCode } from './tuple.js'

export const kinds: KindTable = {
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
  file: fileCode,
}

/**
 * The nodes right below a node, each with its step in an address; branches of a union stand at the place of the union.
 */
export const childrenOf = (node: Node): readonly Child[] => kindOf(kinds, node).children(node)
export const shapeOf = (node: Node) => kinds[node.kind].shape
