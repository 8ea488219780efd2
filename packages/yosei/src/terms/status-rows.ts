/** The documentation of each status. Pages do not ship it. */
import type { Stage, StatusName } from './statuses.js'

/** A row of the table in docs/statuses.md. `at` is the address of the error. */
type Row = readonly [stage: Stage, what: string, headers: string, at: string]

export const statusRows: { readonly [S in StatusName]: readonly Row[] } = {
  unmatched: [['match', 'no such path', '', '']],
  method: [['match', 'another method on a known path', '`Allow`', '']],
  unknownMethod: [['match', 'a method that the server does not know', '', '']],
  uri: [['admit', 'target over `limits.uri`', '', '`path`']],
  headers: [['admit', 'header section over `limits.headers`', '', '`header`']],
  size: [
    ['admit', 'body over `limits.body`, by Content-Length or while it comes', '`Connection: close`', '`body`'],
    ['receive', 'more parts in a form than `limits.parts`', '`Connection: close`', '`body`'],
  ],
  mediaType: [
    [
      'admit',
      'media type or charset not accepted, or missing',
      '`Accept`; `Vary` if it distinguishes endpoints',
      '`header.content-type`',
    ],
  ],
  coding: [
    [
      'admit',
      'content coding not accepted (gzip, deflate and br are; two at most, each once)',
      '`Accept-Encoding`',
      '`header.content-encoding`',
    ],
  ],
  expectation: [['admit', 'an expectation other than 100-continue', '', '`header.expect`']],
  framing: [
    [
      'admit',
      'Content-Length is not a number, is sent twice, or is not the length of the body',
      '',
      '`header.content-length`',
    ],
    ['admit', 'a target with `#` or `\\`; at a gate, a target that routers read differently', '', '`path`'],
    ['admit', 'two Host fields, or none', '`Connection: close`', '`header.host`'],
    ['admit', 'Transfer-Encoding twice, or not ending in chunked', '`Connection: close`', '`header.transfer-encoding`'],
    ['receive', 'a message that is not HTTP', '`Connection: close`', '`path` or `header`'],
  ],
  transferCoding: [
    ['admit', 'a transfer coding other than chunked', '`Connection: close`', '`header.transfer-encoding`'],
  ],
  late: [['receive', 'the message did not arrive within `limits.receive`', '`Connection: close`', '`body`']],
  broken: [
    ['receive', 'the body was cut off, or its coding is broken', '`Connection: close` if it was cut off', '`body`'],
  ],
  syntax: [
    ['read', 'percent-encoding, JSON or form syntax, invalid UTF-8', '', 'the field, or its part'],
    ['read', 'a body that is not declared, or no body', '', '`body`'],
  ],
  notKnown: [['identify', 'no valid credentials', '`WWW-Authenticate`', 'the header field of `challenge`']],
  notAllowed: [['identify', '`may` does not hold', '', 'the header field of `challenge`']],
  notGenuine: [['attest', '`attest` gave `false`', '', '`body`']],
  path: [['shape', 'errors in the path', '', 'each field']],
  query: [
    ['shape', 'errors in the query', '', 'each field'],
    ['admit', 'more values in the query than `limits.queryValues`', '', '`query`'],
    ['admit', 'no endpoint of this method and path accepts this value', '', 'the field'],
  ],
  header: [
    ['shape', 'errors in header fields', '', 'each field'],
    ['admit', 'no endpoint of this method and path accepts this value', '`Vary`', 'the field'],
  ],
  cookie: [['shape', 'errors in cookies', '', 'each field']],
  body: [['shape', 'errors in the body', '', 'each field']],
  rules: [['rules', 'a rule between fields does not hold', '', 'the fields that the rule blames']],
  turn: [['turn', 'the turn was busy for longer than its `wait`', '`Retry-After`', 'the first of its `by`']],
  notFound: [['lookups', 'not found, by a lookup without a `refusal`', '', 'the first of its `reads`']],
  alreadyThere: [['lookups', 'found, by a lookup with `absent: true`', '', 'the first of its `reads`']],
  unavailable: [
    ['identify', '`identify` threw, or took longer than `limits.handle`', '`Retry-After`', ''],
    ['attest', '`attest` threw, or took longer than `limits.handle`', '`Retry-After`', ''],
    ['receive', 'a file could not be stored', '`Retry-After`, `Connection: close`', ''],
    ['turn', 'more than `waiters` requests wait, or the store failed', '`Retry-After`', 'the first of its `by`'],
    ['lookups', 'a lookup threw, or took longer than `within`', '`Retry-After`', ''],
    ['handle', 'the handler took longer than `limits.handle`', '`Retry-After`', ''],
  ],
  failure: [['handle', 'the handler, or a function of the declaration, threw', '', '']],
  backend: [['handle', 'a front: the backend could not be reached, or broke off before its answer', '', '']],
  backendLate: [['handle', "a front: the backend's answer did not begin within `limits.handle`", '', '']],
}
