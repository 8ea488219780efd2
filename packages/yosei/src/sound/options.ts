/** What endpoints, groups, intakes, lookups and turns take. */

import { type AsItCame, type Declaration, type Giving, signedBy } from '../declare/endpoint.js'
import type { IntakeDeclaration } from '../declare/intake.js'
import type { LookupNode, TurnNode } from '../declare/lookups.js'
import type { Refusal } from '../terms/hooks.js'
import { isMethod, usualMethods } from '../terms/methods.js'
import { mistake } from '../terms/mistake.js'
import { nearestOf } from '../terms/nearest.js'
import {
  type AnyOptions,
  aCondition,
  aCount,
  aField,
  aFlag,
  aFunction,
  aLookup,
  aMode,
  aName,
  anAddress,
  anObject,
  aSpan,
  aSyncFunction,
  aText,
  byName,
  checkOptions,
  eitherOf,
  fields,
  isPlain,
  listOf,
  merged,
  type Options,
  oneOf,
  type Report,
  required,
  withOptions,
} from '../terms/option-types.js'
import { policyOptions } from '../terms/policy.js'

export const refusalOptions: Options<Refusal> = {
  status: required(refusalStatus()),
  code: required(aName),
  message: required(aText),
  at: anAddress,
  retryAfter: aSpan,
  headers: byName(aText),
}
/* @__NO_SIDE_EFFECTS__ */
function refusalStatus() {
  // The head of a request, or its connection, decides these before anybody can refuse.
  const early = [405, 408, 411, 414, 417, 421, 431]
  return {
    what: `a status from 400 to 499, or 503, but not ${early.join(', ')}, which the head of the request decides`,
    example: '409',
    takes: (value: unknown) =>
      value === 503 ||
      (Number.isInteger(value) && Number(value) >= 400 && Number(value) < 500 && !early.includes(Number(value))),
  }
}

export const lookupOptions: Options<Omit<LookupNode, 'givesRules'>> = {
  reads: required(listOf(anAddress)),
  ask: required(aFunction('({ db }, [id]) => db.find(id)')),
  counts: aSyncFunction('(answer) => answer.length > 0'),
  refusal: withOptions(refusalOptions),
  absent: aFlag,
  follows: byName(aLookup),
  when: aCondition,
  within: aSpan,
  fill: anAddress,
  batch: aFlag,
  mode: aMode,
}
const turnOptions: Options<TurnNode> = {
  of: required(aName),
  by: required(listOf(anAddress)),
  wait: aSpan,
  lease: aSpan,
  longest: aSpan,
  waiters: aCount,
}
const body = {
  what: 'a field, or fields by media types',
  example: "record({ … }) or { 'text/plain': text() }",
  takes: (value: unknown) => aField.takes(value) || isPlain(value),
}
const shared = /* @__PURE__ */ merged(
  {
    path: fields,
    query: fields,
    header: fields,
    cookie: fields,
    tags: listOf(aText),
    who: aField,
    may: aFunction("(on) => on.is('who.role', 'clerk')"),
    rules: aFunction("(on) => [on.needed('body.a', on.sent('body.b'))]"),
    lookups: aFunction('(on) => ({ one: on.lookup({ … }) })'),
    attest: aFunction('({ bytes, head }, services) => services.signatures.fit(bytes, head)'),
    keepBytes: oneOf(true),
  },
  policyOptions,
)
type AnyDeclaration = Declaration<unknown, unknown, unknown, unknown, unknown, unknown, unknown, unknown>
const endpointOptions: Options<
  AnyDeclaration & Giving<unknown> & AsItCame<unknown, unknown, never, unknown> & { path: unknown }
> = /* @__PURE__ */ merged(
  {
    title: aText,
    description: aText,
    body,
    success: {
      what: 'a status from 200 to 299',
      example: '201',
      takes: (value: unknown) => Number.isInteger(value) && (value as number) >= 200 && (value as number) < 300,
    },
    turn: withOptions(turnOptions),
    gives: aField,
    because: byName(aText),
  },
  shared,
)
const groupOptions: AnyOptions = /* @__PURE__ */ merged(
  {
    prefix: {
      what: 'the beginning of a path',
      example: "'/v1'",
      takes: (value: unknown) => typeof value === 'string' && value.startsWith('/'),
    },
  },
  shared,
)
const intakeOptions: Options<IntakeDeclaration<{}>> = /* @__PURE__ */ merged(
  {
    endpoints: required(anObject('{ bookSession, listSessions }')),
    base: aText,
    title: aText,
    version: aText,
    engine: oneOf('compiled', 'interpreted'),
    identify: aFunction('({ headers }, services) => services.users.find(headers)'),
    challenge: withOptions({ header: aName, scheme: aName }),
    languages: byName(anObject("{ missing: 'falta' }")),
    naming: aFunction("(path) => path.slice(1).join('.')"),
    envelope: eitherOf(
      aFunction('(rejection, problem) => ({ body: problem })'),
      withOptions({
        write: required(aFunction('(rejection, problem) => ({ body: problem })')),
        read: required(aFunction('(body) => body.errors')),
        schema: anObject("{ type: 'object' }"),
      }),
    ),
    journal: withMethod('write', 'loggerJournal(logger)'),
    telemetry: withMethod('begin', 'telemetry()'),
    turns: withMethod('take', 'memoryTurns()'),
    requestId: {
      what: 'the name of a header field',
      example: "'x-request-id'",
      takes: (value: unknown) => typeof value === 'string' && /^[!#$%&'*+.^_`|~0-9A-Za-z-]+$/.test(value),
    },
  },
  policyOptions,
)
/* @__NO_SIDE_EFFECTS__ */
function withMethod(name: string, example: string) {
  return {
    what: `an object with a function ${name}`,
    example,
    takes: (value: unknown) =>
      typeof value === 'object' && value !== null && typeof (value as { [name: string]: unknown })[name] === 'function',
  }
}

const at =
  (where: string): Report =>
  (what, mend, option) =>
    mistake(where, what, mend, { option })

export function checkEndpointOptions(signature: unknown, declaration: unknown): void {
  if (typeof signature !== 'string')
    at('endpoint()')('its first argument is the method and the path template', "Write it as 'GET /path/{name}'")
  const [method] = signedBy(String(signature))
  if (method === '') mistake(`"${signature}"`, 'this is no method and path template', "Write it as 'GET /path/{name}'")
  const meant = isMethod(method) ? undefined : nearestOf(method, usualMethods)
  if (meant !== undefined) mistake(String(signature), `${method} is no method of HTTP`, `Write ${meant}`)
  checkOptions(declaration, endpointOptions, 'an endpoint', at(String(signature)))
  checkHeader(String(signature), declaration)
}
export function checkGroupOptions(shared: unknown): void {
  checkOptions(shared, groupOptions, 'a group', at('group'))
  checkHeader('group', shared)
}
function checkHeader(where: string, declared: unknown): void {
  const names = Object.keys((declared as { readonly header?: object }).header ?? {}).map((name) => name.toLowerCase())
  const twice = names.find((name, index) => names.indexOf(name) < index)
  if (twice !== undefined)
    mistake(`${where}, header.${twice}`, 'two names differ only in case', 'Declare the header field once')
}
export const checkIntakeOptions = (declaration: unknown): void =>
  checkOptions(declaration, intakeOptions, 'an intake', at('intake'))
