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
  'missing.elsewhere': 'must be sent here; it came as {elsewhere}',
  null_not_allowed: 'must not be null',
  'null_not_allowed.kept': 'must not be removed',
  'unlisted.body': 'must be empty: this endpoint takes no body',
  read_only: 'is set by the server and must not be sent',
  wrong_type: 'must be of another type',
  'wrong_type.secret': 'must be of another type',
  too_large: 'must be smaller',
  'too_large.bytes': 'must have at most {limit} bytes',
  'too_large.size': 'must have at most {limit}',
  'too_large.depth': 'must not nest deeper than {limit} levels',
  sent_twice: 'must be sent once; it came {limit} times',
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
export const overlapWords = { overlaps: 'must not overlap {other}' }
export const gapWords = {
  too_close: 'must be at least {limit} more than {other}',
  'too_close.time': 'must be at least {limit} after {other}',
  'too_close.first': 'must be at least {limit} less than {other}',
  'too_close.firstTime': 'must be at least {limit} before {other}',
  'too_close.neither': 'needs {other} to be at least {limit} more than {first}',
  'too_close.neitherTime': 'needs {other} to be at least {limit} after {first}',
  too_far: 'must be at most {limit} more than {other}',
  'too_far.time': 'must be at most {limit} after {other}',
  'too_far.first': 'must be at most {limit} less than {other}',
  'too_far.firstTime': 'must be at most {limit} before {other}',
  'too_far.neither': 'needs {other} to be at most {limit} more than {first}',
  'too_far.neitherTime': 'needs {other} to be at most {limit} after {first}',
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
export const neededWords = { needed: 'must be sent when {when}', 'needed.secret': 'must be sent here' }
export const absentWords = {
  not_allowed_here: 'must not be sent when {when}',
  'not_allowed_here.secret': 'must not be sent here',
}
export const sumWords = {
  'above_max.sum': 'must add up to at most {limit}; the sum is {sum}',
  'above_max.sumOther': 'must add up to no more than {other} ({limit}); the sum is {sum}',
  'above_max.sumSecret': 'must add up to at most {limit}',
  'above_max.sumOtherSecret': 'must add up to no more than {other}',
  'below_min.sum': 'must add up to at least {limit}; the sum is {sum}',
  'below_min.sumSecret': 'must add up to at least {limit}',
  'below_min.sumOther': 'must add up to no less than {other} ({limit}); the sum is {sum}',
  'below_min.sumOtherSecret': 'must add up to no less than {other}',
  'unequal.sum': 'must add up to {limit}; the sum is {sum}',
  'unequal.sumSecret': 'must add up to {limit}',
  'unequal.sumOther': 'must add up to {other} ({limit}); the sum is {sum}',
  'unequal.sumOtherSecret': 'must add up to {other}',
}
/** Conditions, as the clause that a message ends with. */
export const conditionWords = {
  'when.suits': '{address} is of that form',
  'when.sent': '{address} is sent',
  'when.is': '{address} is {value}',
  'when.in': '{address} is one of {value}',
  'when.above': '{address} is more than {value}',
  'when.below': '{address} is less than {value}',
  'when.accepts': '{value} is asked for',
  'when.all': ' and ',
  'when.not': 'it is not so that {value}',
  'when.not.sent': '{address} is not sent',
  'when.not.is': '{address} is not {value}',
}

/** All of them. */
export const ruleWords = /* @__PURE__ */ (() => ({
  ...orderWords,
  ...overlapWords,
  ...gapWords,
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
  'rule.exactlyOne': 'needs exactly one of {addresses}',
  'rule.fits': 'must also pass a field of its own',
  'rule.while': '{words}, while {when}',
  'rule.inOrder': 'must be more than the one before it',
  'rule.inOrderOrEqual': 'must not be less than the one before it',
  'rule.inOrderTime': 'must come after the one before it',
  'rule.inOrderTimeOrEqual': 'must not come before the one before it',
  'rule.distinct': 'must not have the same {addresses} as another',
  'rule.apart': 'must not overlap another, from {first} to {other}',
  'rule.gap': 'must be from {least} to {most} behind {first}',
  'rule.gapLeast': 'must be at least {least} behind {first}',
  'rule.gapMost': 'must be at most {most} behind {first}',
  'rule.fill': 'is made of {addresses} if it is not sent',
  'rule.own': 'is checked by a rule of its own',
}

type Keys = keyof typeof ruleWords | keyof typeof sentenceWords
/** A code of what rules say, and how it varies. One without words does not compile. */
export type Said = Keys extends infer K
  ? K extends `${infer C}.${infer V}`
    ? { readonly code: C; readonly variant: V }
    : { readonly code: K; readonly variant?: undefined }
  : never
