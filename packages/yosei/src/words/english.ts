/** All words of errors in English. Other languages have the same keys. A page has those of what it brings. */
import { commonWords, ruleWords, sentenceWords } from '../catalogue/english.js'
import { formats, wordsOf } from '../grammar/formats.js'
import { bigIntegerWords } from '../kinds/big-integer.js'
import { choiceWords } from '../kinds/choice.js'
import { constantWords } from '../kinds/constant.js'
import { dayWords } from '../kinds/day.js'
import { decimalWords } from '../kinds/decimal.js'
import { durationWords } from '../kinds/duration.js'
import { eitherWords } from '../kinds/either.js'
import { fileWords } from '../kinds/file.js'
import { flagWords } from '../kinds/flag.js'
import { instantWords } from '../kinds/instant.js'
import { listWords } from '../kinds/list.js'
import { numberWords } from '../kinds/number.js'
import { recordWords } from '../kinds/record.js'
import { schemaWords } from '../kinds/schema.js'
import { tableWords } from '../kinds/table.js'
import { taggedWords } from '../kinds/tagged.js'
import { textWords } from '../kinds/text.js'
import { timeOfDayWords } from '../kinds/time-of-day.js'
import { tupleWords } from '../kinds/tuple.js'
import type { Words } from './words.js'

/** With a request as a whole; what answers say. */
const serviceWords = {
  'too_many.query': 'must have at most {limit} {limit|value|values}',
  'too_many.codings': 'must name at most {limit} codings, each once',
  too_many_parts: 'must have at most {limit} {limit|part|parts}',
  bad_syntax: 'is not JSON: the mistake is at line {line}, column {column}',
  'bad_syntax.utf8': 'must be UTF-8',
  'bad_syntax.message': 'could not be read: {reason}',
  'bad_syntax.form': 'could not be read as a form: {reason}',
  'bad_syntax.coding': 'is not in the coding that Content-Encoding names',
  'bad_syntax.late': 'did not arrive in time',
  'bad_syntax.broken': 'was cut off before its end',
  'bad_syntax.framing': 'must end in chunked',
  'bad_syntax.old': 'must not be sent in a message of HTTP/1.0',
  'bad_syntax.endToEnd': 'must not name {name}, which is meant for the server',
  'bad_syntax.length': 'must be a number of bytes',
  'bad_syntax.conflict': 'must not give two different lengths',
  'bad_syntax.longer': 'must not be less than the number of bytes that were sent',
  'bad_syntax.target': 'must hold no # and no \\; write them as %23 and %5C',
  'bad_syntax.spelling':
    'must be written as it is documented: without . and .., encoded slashes or letters, ; and a host',
  bad_encoding: 'has a broken percent-encoding; write a percent sign as %25',
  'bad_encoding.unsendable': 'has a value that cannot be sent here',
  'bad_encoding.lost': 'cannot be sent here: it would be lost',
  'bad_encoding.changed': 'cannot be sent here: it would arrive as {arrives}',
  'bad_encoding.elsewhere': 'cannot be sent here: the path would be that of {endpoint}',
  wrong_media_type: 'must be {limit}',
  'wrong_media_type.several': 'must be one of {limit}',
  'wrong_media_type.charset': 'must name no charset but utf-8',
  not_known: 'must carry valid credentials',
  not_allowed: 'does not have permission',
  not_found: 'was not found',
  already_there: 'is there already',
  not_genuine: 'must come from who it says, unchanged',
  busy: 'is being worked on by another request',
  'busy.full': 'has too many waiting requests',
  detail: '{first}',
  'detail.more': '{first}, and {more} more {more|error|errors}',
  'detail.unmatched': 'There is no endpoint for this method and path.',
  'detail.method': 'This path does not accept this method.',
  'detail.late': 'The request did not arrive in time.',
  'detail.headers': 'The header fields are too large.',
  'detail.failure': 'Internal error; it was logged.',
  'detail.unknownMethod': 'This method is not known here.',
  'detail.unavailable': 'The service is not available at the moment. Please try again later.',
  'detail.backend': 'The service behind this one could not be reached, or broke off.',
  'detail.backendLate': 'The service behind this one did not answer in time.',
  'detail.other': 'The request was rejected.',
  'detail.placeless': 'This {message}',
  'page.fields': 'What to fix',
  'page.id': 'Request',
}

/** A code, kind, format or condition without words does not compile. */
export const english: Words = /* @__PURE__ */ (() => ({
  ...commonWords,
  ...textWords,
  ...numberWords,
  ...bigIntegerWords,
  ...decimalWords,
  ...flagWords,
  ...instantWords,
  ...dayWords,
  ...timeOfDayWords,
  ...durationWords,
  ...choiceWords,
  ...constantWords,
  ...listWords,
  ...tupleWords,
  ...recordWords,
  ...tableWords,
  ...taggedWords,
  ...eitherWords,
  ...fileWords,
  ...schemaWords,
  ...wordsOf(formats),
  ...ruleWords,
  ...sentenceWords,
  ...serviceWords,
}))()
