/** How the parts of an endpoint are read where code may be made: by the code that is made for it. */
import { oncePerBody } from '../declare/endpoint.js'
import { compileEndpoint } from './compiler.js'
import { interpretParts, type Reader } from './parts.js'

/** The reader of an endpoint with a body of one media type. */
export const readerOf = oncePerBody((endpoint, chosen): Reader => {
  const interpreted: Reader = (path, query, header, cookie, body, run, hasBody) =>
    interpretParts(endpoint, chosen, { path, query, header, cookie, body }, run, hasBody)
  return (endpoint.engine === 'interpreted' ? undefined : compileEndpoint(endpoint, chosen, interpreted)) ?? interpreted
})
