/** Methods of HTTP: those of RFC 9110 and RFC 5789, and all that IANA has registered besides. */

export const usualMethods = ['GET', 'HEAD', 'POST', 'PUT', 'DELETE', 'OPTIONS', 'TRACE', 'PATCH'] as const
const registered = /* @__PURE__ */ new Set<string>([
  ...usualMethods,
  ...'ACL BASELINE-CONTROL BIND CHECKIN CHECKOUT CONNECT COPY LABEL LINK LOCK MERGE MKACTIVITY MKCALENDAR MKCOL'.split(
    ' ',
  ),
  ...'MKREDIRECTREF MKWORKSPACE MOVE ORDERPATCH PRI PROPFIND PROPPATCH QUERY REBIND REPORT SEARCH UNBIND'.split(' '),
  ...'UNCHECKOUT UNLINK UNLOCK UPDATE UPDATEREDIRECTREF VERSION-CONTROL'.split(' '),
])
export const isMethod = (name: string): boolean => registered.has(name)
