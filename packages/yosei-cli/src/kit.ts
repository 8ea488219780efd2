/** What the desk is given of books, coverage and secrets. It runs in a browser too. */
import type { Kit } from 'yosei-desk'
import {
  blockOf,
  compare,
  isWritable,
  plainTitle,
  readBook,
  readHar,
  revised,
  type Sample,
  verdictOf,
  without,
  withRequest,
  withTitle,
  withVerdicts,
} from './book/index.js'
import { readWho } from './check.js'
import { Coverage } from './coverage.js'
import { isShown, withoutSecrets } from './masked.js'
import { nearestEndpoint } from './nearest.js'

export const kit: Kit = {
  readBook,
  faultsOf(app, sample, verdict) {
    const { expectation } = sample as Sample
    return expectation && compare(expectation, verdict, (address) => isShown(app, verdict.endpoint, address))
  },
  readWho,
  coverage(app) {
    const coverage = new Coverage(app)
    const told = ({ address, code }: { address: string; code: string }) =>
      `${address === '' ? 'status' : address} ${code}`
    return {
      add: (verdict) => coverage.add(verdict),
      table: () =>
        Object.fromEntries(
          coverage
            .rows()
            .map(({ endpoint, tripped, all, untripped }) => [
              endpoint,
              { tripped, all, untripped: untripped.map(told) },
            ]),
        ),
    }
  },
  blockOf,
  verdictOf,
  revised: (app, page, sample, verdict, decisions) =>
    revised(page, sample as Sample, verdict, decisions, (address) => isShown(app, verdict.endpoint, address)),
  withVerdicts: (page, changes) => withVerdicts(page, changes as Parameters<typeof withVerdicts>[1]),
  withRequest: (page, sample, message) => withRequest(page, sample as Sample, message),
  withTitle: (page, sample, title) => withTitle(page, sample as Sample, title),
  without: (page, sample) => without(page, sample as Sample),
  plainTitle,
  isWritable,
  readHar,
  nearestEndpoint,
  withoutSecrets,
}
