/** Every status that a rejection can have (RFC 9110, section 15), where it comes from, and what goes with it. */

import { mistake } from './mistake.js'
import { nearestOf } from './nearest.js'

/** Where in the way of a request an error was found. */
export type Stage =
  | 'match'
  | 'admit'
  | 'identify'
  | 'receive'
  | 'read'
  | 'shape'
  | 'rules'
  | 'turn'
  | 'lookups'
  | 'handle'

/** A row of the documentation: the stage, what went wrong, the header fields that go with it, and where it is told. */
type Row = readonly [stage: Stage, what: string, headers: string, at: string]
interface Entry {
  readonly status: number
  readonly rows: readonly Row[]
}

/** By the name under which `statuses` of an endpoint, a group or an intake can change it. */
export const statusTable = {
  unmatched: { status: 404, rows: [['match', 'no such path', '', '']] },
  method: { status: 405, rows: [['match', 'another method on a known path', '`Allow`', '']] },
  unknownMethod: { status: 501, rows: [['match', 'a method that nothing here knows', '', '']] },
  uri: { status: 414, rows: [['admit', 'target over `limits.uri`', '', '`path`']] },
  headers: { status: 431, rows: [['admit', 'header section over `limits.headers`', '', '`header`']] },
  size: {
    status: 413,
    rows: [
      ['admit', 'body over `limits.body`, by Content-Length or while it comes', '`Connection: close`', '`body`'],
      ['receive', 'more parts in a form than `limits.parts`', '`Connection: close`', '`body`'],
    ],
  },
  mediaType: {
    status: 415,
    rows: [
      [
        'admit',
        'media type or charset not taken, or none given with a body',
        '`Accept`; `Vary` if it tells endpoints apart',
        '`header.content-type`',
      ],
    ],
  },
  coding: {
    status: 415,
    rows: [
      [
        'admit',
        'content coding not taken (gzip, deflate and br are; two at most, each once)',
        '`Accept-Encoding`',
        '`header.content-encoding`',
      ],
    ],
  },
  expectation: { status: 417, rows: [['admit', 'an expectation other than 100-continue', '', '`header.expect`']] },
  framing: {
    status: 400,
    rows: [
      ['admit', 'Content-Length that is no number, or sent twice, or not what came', '', '`header.content-length`'],
      ['admit', 'a target with `#` or `\\`; at a gate, one that routers read in several ways', '', '`path`'],
      ['admit', 'two Host fields, or none', '`Connection: close`', '`header.host`'],
      [
        'admit',
        'Transfer-Encoding twice, or not ending in chunked',
        '`Connection: close`',
        '`header.transfer-encoding`',
      ],
      ['receive', 'a message that is none', '`Connection: close`', '`path` or `header`'],
    ],
  },
  transferCoding: {
    status: 501,
    rows: [['admit', 'a transfer coding besides chunked', '`Connection: close`', '`header.transfer-encoding`']],
  },
  late: {
    status: 408,
    rows: [['receive', 'the message did not come within `limits.receive`', '`Connection: close`', '`body`']],
  },
  broken: {
    status: 400,
    rows: [
      ['receive', 'the body broke off, or its coding is broken', '`Connection: close` where it broke off', '`body`'],
    ],
  },
  syntax: {
    status: 400,
    rows: [
      ['read', 'percent-encoding, JSON or form syntax, invalid UTF-8', '', 'the field, or its part'],
      ['read', 'a body where none is declared, none where one is needed', '', '`body`'],
    ],
  },
  notKnown: {
    status: 401,
    rows: [['identify', 'who is asking is not known', '`WWW-Authenticate`', 'the header field of `challenge`']],
  },
  notAllowed: { status: 403, rows: [['identify', '`may` does not hold', '', 'the header field of `challenge`']] },
  path: { status: 400, rows: [['shape', 'errors in the path', '', 'each field']] },
  query: {
    status: 400,
    rows: [
      ['shape', 'errors in the query', '', 'each field'],
      ['admit', 'more values in the query than `limits.queryValues`', '', '`query`'],
      ['admit', 'no endpoint of this method and path takes what tells them apart', '', 'the field'],
    ],
  },
  header: {
    status: 400,
    rows: [
      ['shape', 'errors in header fields', '', 'each field'],
      ['admit', 'no endpoint of this method and path takes what tells them apart', '`Vary`', 'the field'],
    ],
  },
  cookie: { status: 400, rows: [['shape', 'errors in cookies', '', 'each field']] },
  body: { status: 422, rows: [['shape', 'errors in the body', '', 'each field']] },
  rules: { status: 422, rows: [['rules', 'a rule between fields does not hold', '', 'the fields that it blames']] },
  turn: {
    status: 409,
    rows: [['turn', 'the turn was not had within its `wait`', '`Retry-After`', 'the first of its `by`']],
  },
  notFound: {
    status: 422,
    rows: [['lookups', 'not found, where a lookup has no `refusal`', '', 'the first of its `reads`']],
  },
  alreadyThere: {
    status: 409,
    rows: [['lookups', 'there already where it must not be', '', 'the first of its `reads`']],
  },
  unavailable: {
    status: 503,
    rows: [
      ['identify', '`identify` threw, or took longer than `limits.handle`', '`Retry-After`', ''],
      ['receive', 'a file could not be kept', '`Retry-After`, `Connection: close`', ''],
      ['turn', 'more than its `waiters` wait, or its store failed', '`Retry-After`', 'the first of its `by`'],
      ['lookups', 'the outside world failed, or took longer than `within`', '`Retry-After`', ''],
      ['handle', 'the handler took longer than `limits.handle`', '`Retry-After`', ''],
    ],
  },
  failure: { status: 500, rows: [['handle', 'the handler, or a function of the declaration, threw', '', '']] },
} as const satisfies { readonly [name: string]: Entry }

export type StatusName = keyof typeof statusTable
/** The status for a kind of failure, where the default does not suit. */
export type Statuses = { readonly [N in StatusName]?: number | undefined } & {
  /** By the code of an error: `{ repeated: 409 }`. It comes before what the kind of failure says. */
  readonly codes?: { readonly [code: string]: number } | undefined
}

/** The status of a failure that has an error of this code, or none. A failure of ours is none of a client's code. */
export function statusFor(name: StatusName, statuses: Statuses | undefined, code = ''): number {
  const { status } = statusTable[name]
  const { codes = {} } = statuses ?? {}
  if (status < 500 && Object.hasOwn(codes, code)) return codes[code] as number
  return statuses?.[name] ?? status
}

/** @throws DeclarationError where a failure of one side would be told as the other's (RFC 9110, section 15). */
export function checkStatuses(where: string, statuses: Statuses = {}): void {
  const { codes = {}, ...names } = statuses
  for (const [name, status] of Object.entries(names)) {
    if (status === undefined) continue
    if (!Object.hasOwn(statusTable, name)) {
      const meant = nearestOf(name, Object.keys(statusTable))
      const mend = `Name ${meant ?? `one of ${Object.keys(statusTable).join(', ')}`}`
      mistake(`${where}, statuses`, `there is no failure ${name}`, mend, { option: name })
    }
    checkStatus(`${where}, statuses`, name, status, statusTable[name as StatusName].status)
  }
  for (const [code, status] of Object.entries(codes)) checkStatus(`${where}, statuses`, code, status, 400)
}

export function checkStatus(where: string, name: string, status: unknown, usual: number): void {
  const least = usual < 500 ? 400 : 500
  if (!(Number.isInteger(status) && (status as number) >= least && (status as number) < least + 100))
    mistake(where, `${name} is ${status}`, `Give it a status from ${least} to ${least + 99}: that is whose fault it is`)
}

/** Reason phrases of the registry of HTTP status codes (RFC 9110, section 16.2): a service may answer with any. */
export const titles: { readonly [status: number]: string } = {
  400: 'Bad Request',
  401: 'Unauthorized',
  402: 'Payment Required',
  403: 'Forbidden',
  404: 'Not Found',
  405: 'Method Not Allowed',
  406: 'Not Acceptable',
  407: 'Proxy Authentication Required',
  408: 'Request Timeout',
  409: 'Conflict',
  410: 'Gone',
  411: 'Length Required',
  412: 'Precondition Failed',
  413: 'Content Too Large',
  414: 'URI Too Long',
  415: 'Unsupported Media Type',
  416: 'Range Not Satisfiable',
  417: 'Expectation Failed',
  421: 'Misdirected Request',
  422: 'Unprocessable Content',
  423: 'Locked',
  424: 'Failed Dependency',
  425: 'Too Early',
  426: 'Upgrade Required',
  428: 'Precondition Required',
  429: 'Too Many Requests',
  431: 'Request Header Fields Too Large',
  451: 'Unavailable For Legal Reasons',
  500: 'Internal Server Error',
  501: 'Not Implemented',
  502: 'Bad Gateway',
  503: 'Service Unavailable',
  504: 'Gateway Timeout',
  505: 'HTTP Version Not Supported',
  506: 'Variant Also Negotiates',
  507: 'Insufficient Storage',
  508: 'Loop Detected',
  511: 'Network Authentication Required',
}
