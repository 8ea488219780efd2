import { standard } from './adapt/judge.js'
import { bringEverything } from './sound/declarations.js'
import { judgeStandardBy } from './terms/standard.js'

// A command may judge what another copy of the library has declared.
bringEverything()
judgeStandardBy(standard)

export type { Context } from './adapt/handle.js'
export { judge, judgeMerged, judgeParts, judgeValue, standardFor } from './adapt/judge.js'
export { type Handle, type Handlers, type ServeOptions, serve } from './adapt/serve.js'
export { answer } from './answer/problem.js'
export * from './declare/builders.js'
export type { Body } from './declare/endpoint.js'
export type { IntakeDeclaration } from './declare/intake.js'
export type { BatchFinds, Lookup, LookupMaker, Turn } from './declare/lookups.js'
export { codeOf } from './engine/compiler.js'
export type { Format } from './grammar/formats.js'
export { type Given, type GiveOptions, give } from './judge/give.js'
export type { JudgeOptions } from './judge/judge.js'
export type { MergePatch } from './judge/merged.js'
export type { JudgePartsOptions } from './judge/parts.js'
export { refuse } from './judge/refuse.js'
export { memoryTurns } from './judge/turns.js'
export type { JudgeValueOptions, ValueError, ValueVerdict } from './judge/value.js'
export { isSecretAt, outline } from './outline/outline.js'
export type { EndpointOutline, FieldOutline, IntakeOutline, LookupOutline, RuleOutline } from './outline/types.js'
export { type BrokenMessage, type Message, parseMessage, type RequestLike } from './read/message.js'
export type { Comparable, Condition } from './rules/condition.js'
export type { ConditionMaker } from './rules/conditions.js'
export type { FillingRule } from './rules/fill.js'
export type { Blame, Found, Rule } from './rules/rule.js'
export type { RuleMaker } from './rules/rules.js'
export { endpoint, group, intake, record, text } from './sound/declarations.js'
export { type Address, type At, foldAddress, formatAddress, type Path, parseAddress } from './terms/address.js'
export type { Asking } from './terms/asking.js'
export type { Bounds, Messages, Moment, Need, Size, Span } from './terms/declared.js'
export type { Accepted, Endpoint, Endpoints, FoundBy, Gives, Intake, Sent, WhoOf } from './terms/endpoint.js'
export type { Attest, Head, HeaderFields, ReceivedMessage, Sign, UnsignedMessage } from './terms/head.js'
export type {
  Catalogue,
  Catalogues,
  Envelope,
  EnvelopedError,
  Journal,
  JournalEvent,
  Naming,
  Problem,
  Refusal,
  Refused,
  TakenTurn,
  TakeOptions,
  TurnStore,
} from './terms/hooks.js'
export { DeclarationError } from './terms/mistake.js'
export type { Part } from './terms/parts.js'
export type { AcceptedPiece } from './terms/pieces.js'
export type { Limits, Mode, Policy } from './terms/policy.js'
export type { Stage, Statuses } from './terms/statuses.js'
export type { Common, Field, Fields, In, InFields, Out, OutFields, RecordField, Upload } from './terms/types.js'
export type {
  AcceptedVerdict,
  EndpointVerdict,
  FieldError,
  PendingVerdict,
  Piece,
  Reading,
  Rejected,
  RejectedPiece,
  Step,
  Verdict,
} from './terms/verdict.js'
export { UnacceptableError, write } from './write/write.js'
