/** Every status that a rejection can have (RFC 9110, section 15), if it comes from, and what goes with it. */

import { mistake } from './mistake.js'
import { nearestOf } from './nearest.js'

/** The stage of a request that found an error. */
export type Stage =
  | 'match'
  | 'admit'
  | 'identify'
  | 'receive'
  | 'attest'
  | 'read'
  | 'shape'
  | 'rules'
  | 'turn'
  | 'lookups'
  | 'handle'

/** By the name under which `statuses` of an endpoint, a group or an intake can change it. */
export const usualStatuses = {
  /** No such path. */
  unmatched: 404,
  /** Another method on a known path. */
  method: 405,
  /** A method that the server does not know. */
  unknownMethod: 501,
  /** Target over `limits.uri`. */
  uri: 414,
  /** Header section over `limits.headers`. */
  headers: 431,
  /** Body over `limits.body`, by Content-Length or while it comes. */
  size: 413,
  /** Media type or charset not accepted, or missing. */
  mediaType: 415,
  /** Content coding not accepted (gzip, deflate and br are; two at most, each once). */
  coding: 415,
  /** An expectation other than 100-continue. */
  expectation: 417,
  /** Content-Length is not a number, is sent twice, or is not the length of the body. */
  framing: 400,
  /** A transfer coding other than chunked. */
  transferCoding: 501,
  /** The message did not arrive within `limits.receive`. */
  late: 408,
  /** The body was cut off, or its coding is broken. */
  broken: 400,
  /** Percent-encoding, JSON or form syntax, invalid UTF-8. */
  syntax: 400,
  /** No valid credentials. */
  notKnown: 401,
  /** `may` does not hold. */
  notAllowed: 403,
  /** `attest` gave `false`. */
  notGenuine: 403,
  /** Errors in the path. */
  path: 400,
  /** Errors in the query. */
  query: 400,
  /** Errors in header fields. */
  header: 400,
  /** Errors in cookies. */
  cookie: 400,
  /** Errors in the body. */
  body: 422,
  /** A rule between fields does not hold. */
  rules: 422,
  /** The turn was busy for longer than its `wait`. */
  turn: 409,
  /** Not found, by a lookup without a `refusal`. */
  notFound: 422,
  /** Found, by a lookup with `absent: true`. */
  alreadyThere: 409,
  /** `identify` or `attest` threw, or took longer than `limits.handle`. */
  unavailable: 503,
  /** The handler, or a function of the declaration, threw. */
  failure: 500,
  /** Behind a front: the backend could not be reached, or broke off before its answer. */
  backend: 502,
  /** Behind a front: the backend's answer did not begin within `limits.handle`. */
  backendLate: 504,
} as const

export type StatusName = keyof typeof usualStatuses
/** Statuses by kind of failure, in place of the usual ones. */
export type Statuses = { readonly [N in keyof typeof usualStatuses]?: number | undefined } & {
  /** By the code of an error: `{ repeated: 409 }`. It comes before what the kind of failure says. */
  readonly codes?: { readonly [code: string]: number } | undefined
}

/** The status of a failure that has an error of this code, or none. A failure of ours is none of a client's code. */
export function statusFor(name: StatusName, statuses: Statuses | undefined, code = ''): number {
  const status = usualStatuses[name]
  const { codes = {} } = statuses ?? {}
  if (status < 500 && Object.hasOwn(codes, code)) return codes[code] as number
  return statuses?.[name] ?? status
}

/** @throws DeclarationError if a failure of one side would be reported as the other's (RFC 9110, section 15). */
export function checkStatuses(where: string, statuses: Statuses = {}): void {
  const { codes = {}, ...names } = statuses
  for (const [name, status] of Object.entries(names)) {
    if (status === undefined) continue
    if (!Object.hasOwn(usualStatuses, name)) {
      const meant = nearestOf(name, Object.keys(usualStatuses))
      const mend = `Name ${meant ?? `one of ${Object.keys(usualStatuses).join(', ')}`}`
      mistake(`${where}, statuses`, `there is no failure ${name}`, mend, { option: name })
    }
    checkStatus(`${where}, statuses`, name, status, usualStatuses[name as StatusName])
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
