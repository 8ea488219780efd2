export { type Context, type Handle, type Handlers, type ServeOptions, serve } from './adapt/serve.js'
export { answer } from './answer/problem.js'
export { codeOf } from './compile/compiler.js'
export { type Address, type At, formatAddress, type Path, parseAddress } from './declare/address.js'
export type { Comparable, Condition } from './declare/conditions.js'
export {
  type Accepted,
  type Body,
  type Endpoint,
  endpoint,
  type FoundBy,
  type Part,
  type Sent,
} from './declare/endpoint.js'
export {
  adding,
  allOptional,
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
  list,
  number,
  only,
  readAs,
  record,
  table,
  tagged,
  text,
  tuple,
  without,
} from './declare/fields.js'
export { group } from './declare/group.js'
export type { Catalogue, Catalogues, Journal, JournalEvent, Problem, Refusal, TakenTurn, TakeOptions, TurnStore } from './declare/hooks.js'
export { type Endpoints, type Head, type Intake, intake } from './declare/intake.js'
export type { Lookup, LookupMaker, Turn } from './declare/lookups.js'
export { DeclarationError } from './declare/mistake.js'
export type { Bounds, Format, Messages, Moment, Need, Size, Span } from './declare/node.js'
export type { Limits, Mode, Policy, Statuses } from './declare/policy.js'
export type { Blame, Found, Rule, RuleMaker } from './declare/rules.js'
export type { Common, Field, Fields, In, InFields, Out, OutFields, Upload } from './declare/types.js'
export type {
  AcceptedVerdict,
  EndpointVerdict,
  FieldError,
  PendingVerdict,
  Reading,
  Rejected,
  Stage,
  Step,
  Verdict,
} from './declare/verdict.js'
export { type JudgeOptions, type JudgePartsOptions, judge, judgeParts } from './judge/judge.js'
export { type Refused, refuse } from './judge/refuse.js'
export { memoryTurns } from './judge/turns.js'
export { UnacceptableError, write } from './judge/write.js'
export { outline } from './outline/outline.js'
export { type BrokenMessage, type Message, parseMessage, type RequestLike } from './read/message.js'
