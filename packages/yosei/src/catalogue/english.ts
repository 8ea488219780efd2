/** The English words of what may be wrong with any field, and with what rules compare. */
/** With any field. */
export const commonWords = {
  sent: '{message}; {sent} was sent',
  'sent.list': 'a list',
  'sent.object': 'an object',
  'sent.null': 'null',
  'sent.string': 'text',
  'sent.number': 'a number',
  'sent.boolean': 'true or false',
  other: 'is not accepted',
  missing: 'must be sent',
  'missing.elsewhere': 'must be sent here; it was sent as {elsewhere}',
  null_not_allowed: 'must not be null',
  'null_not_allowed.kept': 'must not be removed',
  'unlisted.body': 'must be empty: this endpoint takes no body',
  read_only: 'is set by the server and must not be sent',
  wrong_type: 'must be of another type',
  'wrong_type.secret': 'must be of another type',
  'wrong_type.quoted': 'must be the text {limit}',
  'wrong_type.quotedChoice': 'must be one of the texts {limit}',
  'sent.quoted.number': 'the number {sent}',
  'sent.quoted.boolean': 'the boolean {sent}',
  too_large: 'must be smaller',
  'too_large.bytes': 'must be at most {limit} {limit|byte|bytes}',
  'too_large.size': 'must be at most {limit}',
  'too_large.depth': 'must not nest deeper than {limit} levels',
  sent_twice: 'must be sent once; it was sent {limit} times',
  'sent_twice.name': 'must be sent once',
  'list.more': '{list} and {more} more',
  'hint.quotes': '{message}; send it without quotes',
  'hint.written': '{message}; write it as {mend}',
  'hint.plus': '{message}; write a plus as %2B',
  'hint.pairs': '{message}; write it as {mend}',
}

/** With rules: each brings its own. */
export const orderWords = {
  out_of_order: 'must be more than {other}',
  'out_of_order.secondOrEqual': 'must not be less than {other}',
  'out_of_order.secondTime': 'must come after {other}',
  'out_of_order.secondTimeOrEqual': 'must not come before {other}',
  'out_of_order.first': 'must be less than {other}',
  'out_of_order.firstOrEqual': 'must not be more than {other}',
  'out_of_order.firstTime': 'must come before {other}',
  'out_of_order.firstTimeOrEqual': 'must not come after {other}',
  'out_of_order.neither': 'needs {first} to be less than {other}',
  'out_of_order.neitherOrEqual': 'needs {first} to be no more than {other}',
  'out_of_order.neitherTime': 'needs {first} to come before {other}',
  'out_of_order.neitherTimeOrEqual': 'needs {first} not to come after {other}',
}
export const overlapWords = {
  overlaps: 'must not overlap {other}',
  'too_close.rest': 'must begin at least {span} after {other} ends',
  'too_far.seam': 'must begin at the end of {other}',
  'too_far.next': 'must begin right after {other} ends',
}
export const amongWords = {
  not_among: 'must be one of {other}',
  'not_among.near': 'must be one of {other}, such as {nearest}',
  'not_among.names': 'must be a name in {other}',
  'not_among.namesNear': 'must be a name in {other}, such as {nearest}',
}
/** Which of several groups it is. */
export const groupWords = { 'group.of': '{added}, of those with {group}', 'group.without': 'no {address}' }
export const countWords = {
  'too_few.count': 'must have at least {bound} {size|element|elements}; it has {count}',
  'too_few.countWhen': 'must have at least {bound} {size|element|elements} for which {when}; it has {count}',
  'too_few.countSecret': 'has too few of these elements',
  'too_many.count': 'must have at most {bound} {size|element|elements}; it has {count}',
  'too_many.countWhen': 'must have at most {bound} {size|element|elements} for which {when}; it has {count}',
  'too_many.countSecret': 'has too many of these elements',
}
export const cycleWords = {
  in_a_cycle: 'must not lead back to itself: {cycle}',
  'in_a_cycle.secret': 'must not lead back to itself',
}
export const gapWords = {
  too_close: 'must be at least {bound} more than {other}',
  'too_close.time': 'must be at least {span} after {other}',
  'too_close.first': 'must be at least {bound} less than {other}',
  'too_close.firstTime': 'must be at least {span} before {other}',
  'too_close.neither': 'needs {other} to be at least {bound} more than {first}',
  'too_close.neitherTime': 'needs {other} to be at least {span} after {first}',
  'too_close.zero': 'must not be less than {other}',
  'too_close.zeroTime': 'must not come before {other}',
  'too_close.zeroFirst': 'must not be more than {other}',
  'too_close.zeroFirstTime': 'must not come after {other}',
  'too_close.zeroNeither': 'needs {other} not to be less than {first}',
  'too_close.zeroNeitherTime': 'needs {other} not to come before {first}',
  too_far: 'must be at most {bound} more than {other}',
  'too_far.time': 'must be at most {span} after {other}',
  'too_far.first': 'must be at most {bound} less than {other}',
  'too_far.firstTime': 'must be at most {span} before {other}',
  'too_far.neither': 'needs {other} to be at most {bound} more than {first}',
  'too_far.neitherTime': 'needs {other} to be at most {span} after {first}',
  'too_far.zero': 'must not be more than {other}',
  'too_far.zeroTime': 'must not come after {other}',
  'too_far.zeroFirst': 'must not be less than {other}',
  'too_far.zeroFirstTime': 'must not come before {other}',
  'too_far.zeroNeither': 'needs {other} not to be more than {first}',
  'too_far.zeroNeitherTime': 'needs {other} not to come after {first}',
  'too_close.exact': 'must be {bound} more than {other}',
  'too_close.exactTime': 'must be {span} after {other}',
  'too_close.exactFirst': 'must be {bound} less than {other}',
  'too_close.exactFirstTime': 'must be {span} before {other}',
  'too_close.exactNeither': 'needs {other} to be {bound} more than {first}',
  'too_close.exactNeitherTime': 'needs {other} to be {span} after {first}',
  'too_far.exact': 'must be {bound} more than {other}',
  'too_far.exactTime': 'must be {span} after {other}',
  'too_far.exactFirst': 'must be {bound} less than {other}',
  'too_far.exactFirstTime': 'must be {span} before {other}',
  'too_far.exactNeither': 'needs {other} to be {bound} more than {first}',
  'too_far.exactNeitherTime': 'needs {other} to be {span} after {first}',
}
/** Days of the week, in opening hours. */
export const openWords = {
  closed_then: 'must be in opening hours',
  'closed_then.next': 'must be in opening hours; the next begin at {next}',
}
/** How long it is between two times. */
export const spanWords = {
  'span.y': '{count} {count|year|years}',
  'span.mo': '{count} {count|month|months}',
  'span.d': '{count} {count|day|days}',
  'span.h': '{count} {count|hour|hours}',
  'span.m': '{count} {count|minute|minutes}',
  'span.s': '{count} {count|second|seconds}',
}
export const equalWords = {
  unequal: 'must be the same as {other}',
  'unequal.neither': 'needs {first} to be the same as {other}',
}
export const differWords = {
  equal_not_allowed: 'must not be the same as {other}',
  'equal_not_allowed.neither': 'needs {first} not to be the same as {other}',
}
export const togetherWords = { not_together: 'needs all of {addresses}, or none of them' }
export const oneOfWords = { more_than_one: 'takes only one of {addresses}' }
export const atLeastOneWords = { none_present: 'needs one of {addresses}' }
export const neededWords = {
  needed: 'must be sent when {when}',
  'needed.unless': 'must be sent unless {when}',
  'needed.secret': 'must be sent here',
}
export const absentWords = {
  not_allowed_here: 'must not be sent when {when}',
  'not_allowed_here.unless': 'must not be sent unless {when}',
  'not_allowed_here.secret': 'must not be sent here',
}
export const sumWords = {
  'above_max.sum': 'must add up to at most {limit}; {added}',
  'above_max.sumOther': 'must add up to no more than {other} ({limit}); {added}',
  'above_max.sumSecret': 'must add up to at most {limit}',
  'above_max.sumOtherSecret': 'must add up to no more than {other}',
  'below_min.sum': 'must add up to at least {limit}; {added}',
  'below_min.sumSecret': 'must add up to at least {limit}',
  'below_min.sumOther': 'must add up to no less than {other} ({limit}); {added}',
  'below_min.sumOtherSecret': 'must add up to no less than {other}',
  'unequal.sum': 'must add up to {limit}; {added}',
  'unequal.sumSecret': 'must add up to {limit}',
  'unequal.sumOther': 'must add up to {other} ({limit}); {added}',
  'unequal.sumOtherSecret': 'must add up to {other}',
  'sum.added': '{addresses} adds up to {sum}',
  'sum.it': 'it is {sum}',
}
/** Conditions, as the clause that a message ends with. */
export const conditionWords = {
  'when.suits': '{address} has that form',
  'when.sent': '{address} is sent',
  'when.is': '{address} is {value}',
  'when.in': '{address} is {value}',
  'when.same': '{address} is the same as {value}',
  'when.above': '{address} is more than {value}',
  'when.below': '{address} is less than {value}',
  'when.accepts': 'the client accepts {value}',
  'when.all': ' and ',
  'when.not': 'not ({value})',
  'when.not.sent': '{address} is not sent',
  'when.not.is': '{address} is not {value}',
  'when.not.same': '{address} is not the same as {value}',
}

/** All of them. */
export const ruleWords = /* @__PURE__ */ (() => ({
  ...orderWords,
  ...overlapWords,
  ...amongWords,
  ...cycleWords,
  ...countWords,
  ...gapWords,
  ...spanWords,
  ...openWords,
  ...groupWords,
  ...equalWords,
  ...differWords,
  ...togetherWords,
  ...oneOfWords,
  ...atLeastOneWords,
  ...neededWords,
  ...absentWords,
  ...sumWords,
  ...conditionWords,
}))()

/** Rules as sentences, in outlines, if the words of their errors do not say all. */
export const sentenceWords = {
  'rule.sum': 'must add up to at least {least} and at most {most}',
  'rule.sumMost': 'must add up to no more than {most}',
  'rule.sumLeast': 'must add up to no less than {least}',
  'rule.sumExactly': 'must add up to {limit}',
  'rule.sumTimes': 'must add up to at least {least} and at most {most}, each times {other}',
  'rule.sumMostTimes': 'must add up to no more than {most}, each times {other}',
  'rule.sumLeastTimes': 'must add up to no less than {least}, each times {other}',
  'rule.sumExactlyTimes': 'must add up to {limit}, each times {other}',
  'rule.sumOf': 'must add up to at least {least} and at most {most}: {other}',
  'rule.sumMostOf': 'must add up to no more than {most}: {other}',
  'rule.sumLeastOf': 'must add up to no less than {least}: {other}',
  'rule.sumExactlyOf': 'must add up to {limit}: {other}',
  'rule.exactlyOne': 'needs exactly one of {addresses}',
  'rule.fits': 'must also be valid for a second field',
  'rule.while': '{words}, while {when}',
  'rule.inOrder': 'must be more than the one before it',
  'rule.inOrderOrEqual': 'must not be less than the one before it',
  'rule.inOrderTime': 'must come after the one before it',
  'rule.inOrderTimeOrEqual': 'must not come before the one before it',
  'rule.count': 'must have {least} to {most} elements',
  'rule.countLeast': 'must have at least {least} {least|element|elements}',
  'rule.countMost': 'must have at most {most} {most|element|elements}',
  'rule.countExactly': 'must have {limit} {limit|element|elements}',
  'rule.countWhen': 'must have {least} to {most} elements for which {when}',
  'rule.countLeastWhen': 'must have at least {least} {least|element|elements} for which {when}',
  'rule.countMostWhen': 'must have at most {most} {most|element|elements} for which {when}',
  'rule.countExactlyWhen': 'must have {limit} {limit|element|elements} for which {when}',
  'rule.countSecret': 'must have the right number of certain elements',
  'rule.by': '{words}, for each {addresses}',
  'rule.distinct': 'must not have the same {addresses} as another',
  'rule.apart': 'must not overlap another, each from {first} to {other}',
  'rule.apartRest': 'must begin at least {least} after another ends, each from {first} to {other}',
  'rule.apartSeamless': 'must begin at the end of another, each from {first} to {other}',
  'rule.gap': 'must be {least} to {most} after {first}',
  'rule.gapLeast': 'must be at least {least} after {first}',
  'rule.gapMost': 'must be at most {most} after {first}',
  'rule.gapExactly': 'must be {limit} after {first}',
  'rule.openAt': 'must be in opening hours: {limit}',
  'rule.fill': 'is made from {addresses} if it is not sent',
  'rule.own': 'is checked by a custom rule',
}

type Keys = keyof typeof ruleWords | keyof typeof sentenceWords
/** A code of what rules say, and how it varies. One without words does not compile. */
export type Said = Keys extends infer K
  ? K extends `${infer C}.${infer V}`
    ? { readonly code: C; readonly variant: V }
    : { readonly code: K; readonly variant?: undefined }
  : never
