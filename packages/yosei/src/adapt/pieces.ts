/** The answer to a list of which each element was judged alone. */
import { replyTo } from '../answer/problem.js'
import { type Given, give } from '../judge/give.js'
import type { Pieces } from '../judge/pieces.js'
import { type Refusing, refusalsIn } from '../judge/refuse.js'
import type { Judged } from '../judge/stages.js'
import { firstOf } from '../judge/statuses.js'
import { reject } from '../judge/verdict.js'
import type { Fault } from '../kinds/run.js'
import { fieldOf } from '../read/message.js'
import { beside } from '../rules/input.js'
import { type Path, parseAddress } from '../terms/address.js'
import type { Statuses } from '../terms/statuses.js'
import type { Piece } from '../terms/verdict.js'
import { note, type Progress } from './progress.js'

/** Answers a list with `piecewise`. */
export type PiecesAnswer = <V>(
  list: readonly Piece<V>[],
  answer: (value: V, index: number) => unknown,
) => Promise<Given>

/** Of an endpoint without such a list. */
export const noPieces: PiecesAnswer = () => {
  throw new TypeError('pieces() answers a list with piecewise, and this endpoint has none')
}

export const piecesOf =
  (judged: Judged, progress: Progress): PiecesAnswer =>
  (list, answer) =>
    answerPieces(list, answer as PieceAnswer, judged, progress)
type PieceAnswer = (value: unknown, index: number) => unknown

async function answerPieces(
  list: readonly Piece<unknown>[],
  answer: PieceAnswer,
  judged: Judged,
  progress: Progress,
): Promise<Given> {
  const { opened } = judged as Required<Judged>
  const { endpoint, name, limits } = opened.destination
  let isWhole = true
  const run = opened.run.pieces as Pieces
  const made: object[] = []
  /** What the handler refused. */
  const refused: Fault[] = []
  try {
    for (const piece of list) {
      const index = run.indexOf(piece)
      if (index < 0) throw new TypeError('pieces() answers the elements of the input themselves, and no copies of them')
      let faults = run.faultsOf(index)
      if (piece.outcome === 'accepted') {
        const value = await (async () => answer(piece.value, index))().catch((error: unknown) => {
          if (refusalsIn(error)) return error
          throw error
        })
        const refusals = refusalsIn(value)
        if (!refusals) {
          made.push({ status: endpoint.success, ...(value === undefined ? {} : { value }) })
          continue
        }
        faults = refusals.map((one) => refusalFault(one, [...run.at, index]))
        refused.push(...faults)
      }
      isWhole = false
      made.push(fieldsOf(faults, endpoint.statuses, progress))
    }
  } finally {
    if (refused.length > 0) {
      const { status } = firstOf(refused, endpoint.statuses)
      const most = limits.errors
      note(progress, reject(name, refused, { status, stage: 'handle', most }), 'rejected', judged)
    }
  }
  return give({ pieces: made }, { status: isWhole ? endpoint.success : 207 })
}
/** The error of a refusal about an element: at a place in it, or at the element. */
const refusalFault = ({ code, message, at, fault, status }: Refusing, place: Path): Fault =>
  fault ?? {
    path: at === undefined || at === '' ? place : beside(parseAddress(at) ?? [], place),
    stage: 'handle',
    code,
    messages: message,
    status,
  }
/** What is wrong with an element: its fields as a problem document has them, or what the intake's envelope makes of it. */
function fieldsOf(faults: readonly Fault[], statuses: Statuses | undefined, { app, message }: Progress): object {
  const { status } = firstOf(faults, statuses)
  const wishes = { accept: undefined, language: fieldOf(message.headers, 'accept-language') }
  const { envelope, languages, naming } = app
  const house = { envelope, languages, naming }
  const about = { status, stage: 'handle', house, room: Number.POSITIVE_INFINITY } as const
  const { body, headers } = replyTo(reject(undefined, faults, about), wishes, '')
  const written = headers['content-type']?.startsWith('text/') ? String(body) : JSON.parse(String(body))
  return envelope ? { status, problem: written } : { status, fields: written.fields }
}
