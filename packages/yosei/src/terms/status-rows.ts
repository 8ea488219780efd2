/** The documentation of each status. Pages do not ship it. */
import type { Stage, StatusName } from './statuses.js'

/** A row of the table in docs/statuses.md. `at` is the address of the error. */
type Row = readonly [stage: Stage, what: string, headers: string, at: string]

export const statusRows: { readonly [S in StatusName]: readonly Row[] } = {
  unmatched: [['match', 'no such path', '', '']],
  method: [['match', 'another method on a known path', '`Allow`', '']],
  unknownMethod: [['match', 'a method that nothing here knows', '', '']],
  uri: [['admit', 'target over `limits.uri`', '', '`path`']],
  headers: [['admit', 'header section over `limits.headers`', '', '`header`']],
  size: [
    ['admit', 'body over `limits.body`, by Content-Length or while it comes', '`Connection: close`', '`body`'],
    ['receive', 'more parts in a form than `limits.parts`', '`Connection: close`', '`body`'],
  ],
  mediaType: [
    [
      'admit',
      'media type or charset not taken, or none given with a body',
      '`Accept`; `Vary` if it tells endpoints apart',
      '`header.content-type`',
    ],
  ],
  coding: [
    [
      'admit',
      'content coding not taken (gzip, deflate and br are; two at most, each once)',
      '`Accept-Encoding`',
      '`header.content-encoding`',
    ],
  ],
  expectation: [['admit', 'an expectation other than 100-continue', '', '`header.expect`']],
  framing: [
    ['admit', 'Content-Length that is no number, or sent twice, or not what came', '', '`header.content-length`'],
    ['admit', 'a target with `#` or `\\`; at a gate, one that routers read in several ways', '', '`path`'],
    ['admit', 'two Host fields, or none', '`Connection: close`', '`header.host`'],
    ['admit', 'Transfer-Encoding twice, or not ending in chunked', '`Connection: close`', '`header.transfer-encoding`'],
    ['receive', 'a message that is none', '`Connection: close`', '`path` or `header`'],
  ],
  transferCoding: [['admit', 'a transfer coding besides chunked', '`Connection: close`', '`header.transfer-encoding`']],
  late: [['receive', 'the message did not come within `limits.receive`', '`Connection: close`', '`body`']],
  broken: [
    ['receive', 'the body broke off, or its coding is broken', '`Connection: close` where it broke off', '`body`'],
  ],
  syntax: [
    ['read', 'percent-encoding, JSON or form syntax, invalid UTF-8', '', 'the field, or its part'],
    ['read', 'a body where none is declared, none where one is needed', '', '`body`'],
  ],
  notKnown: [['identify', 'who is asking is not known', '`WWW-Authenticate`', 'the header field of `challenge`']],
  notAllowed: [['identify', '`may` does not hold', '', 'the header field of `challenge`']],
  path: [['shape', 'errors in the path', '', 'each field']],
  query: [
    ['shape', 'errors in the query', '', 'each field'],
    ['admit', 'more values in the query than `limits.queryValues`', '', '`query`'],
    ['admit', 'no endpoint of this method and path takes what tells them apart', '', 'the field'],
  ],
  header: [
    ['shape', 'errors in header fields', '', 'each field'],
    ['admit', 'no endpoint of this method and path takes what tells them apart', '`Vary`', 'the field'],
  ],
  cookie: [['shape', 'errors in cookies', '', 'each field']],
  body: [['shape', 'errors in the body', '', 'each field']],
  rules: [['rules', 'a rule between fields does not hold', '', 'the fields that it blames']],
  turn: [['turn', 'the turn was not had within its `wait`', '`Retry-After`', 'the first of its `by`']],
  notFound: [['lookups', 'not found, where a lookup has no `refusal`', '', 'the first of its `reads`']],
  alreadyThere: [['lookups', 'there already where it must not be', '', 'the first of its `reads`']],
  unavailable: [
    ['identify', '`identify` threw, or took longer than `limits.handle`', '`Retry-After`', ''],
    ['receive', 'a file could not be kept', '`Retry-After`, `Connection: close`', ''],
    ['turn', 'more than its `waiters` wait, or its store failed', '`Retry-After`', 'the first of its `by`'],
    ['lookups', 'the outside world failed, or took longer than `within`', '`Retry-After`', ''],
    ['handle', 'the handler took longer than `limits.handle`', '`Retry-After`', ''],
  ],
  failure: [['handle', 'the handler, or a function of the declaration, threw', '', '']],
}
