/** What is said in other words: if, you, the caller, validate, report, its own. */
export const phrases =
  /\b(?:where|nobody|somebody|told|tells|held against|hold against|who is asking|who asks|of (?:one's|its|their|your) own|one's own|the longer|in spirit|none of (?:our|your|its)|but for|save for|evaded?|whatever (?:the|is)|thereof|besides|such as has|the outside world|in vain|it is not so that)\b/i
