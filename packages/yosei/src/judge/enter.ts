/** The stages between a sound request and its handler: the turn, and the lookups under it. */

import type { IntakeNode } from '../declare/intake.js'
import type { TurnStore } from '../terms/hooks.js'
import { isEmpty } from '../terms/own.js'
import { statusFor } from '../terms/statuses.js'
import { askLookups } from './lookups.js'
import type { LateSignal } from './signal.js'
import type { AcceptedJudgement } from './stages.js'
import { retryAfter } from './statuses.js'
import { type HeldTurn, memoryTurns, takeTurn } from './turns.js'
import { type Rejection, reject, rejectFailed } from './verdict.js'

/** What a handler goes in with. */
export interface Entry {
  readonly found: { readonly [name: string]: unknown }
  readonly turn: HeldTurn | undefined
}
export const nothingAsked: Entry = { found: {}, turn: undefined }

/** Turns of intakes that name no store are taken in one store a process. */
let shared: TurnStore | undefined
function storeOf(app: IntakeNode): TurnStore {
  if (app.turns) return app.turns
  shared ??= memoryTurns()
  return shared
}

/** `undefined` if an endpoint takes no turn and asks nothing. Whoever is let in has to release the turn. */
export function enter(
  judged: AcceptedJudgement,
  services: unknown,
  signal: LateSignal,
  app: IntakeNode,
): Promise<Entry | Rejection> | undefined {
  const { turn, lookups } = judged.opened.destination.endpoint
  return turn || !isEmpty(lookups) ? takeAndAsk(judged, services, signal, app) : undefined
}

/** The process stood still for longer than its lease, or the lookups took longer than a turn may. */
function lateTurn(judged: AcceptedJudgement, app: IntakeNode): Rejection {
  const { name, endpoint } = judged.opened.destination
  const cause = new Error('the turn ended before the handler could begin')
  const status = statusFor('unavailable', endpoint.statuses)
  return reject(name, [], { status, stage: 'turn', failure: 'unavailable', headers: retryAfter, house: app, cause })
}

async function takeAndAsk(
  judged: AcceptedJudgement,
  services: unknown,
  signal: LateSignal,
  app: IntakeNode,
): Promise<Entry | Rejection> {
  const { turn: declared, lookups } = judged.opened.destination.endpoint
  const { telemetry } = judged.opened.run
  let turn: HeldTurn | Rejection | undefined
  try {
    if (declared) telemetry?.stage('turn')
    turn = declared ? await takeTurn(judged, declared, storeOf(app), signal) : undefined
    if (turn && 'outcome' in turn) return turn
    if (Object.keys(lookups).length === 0) return { found: {}, turn }
    telemetry?.stage('lookups')
    const { found, rejection } = await askLookups(judged, { services, who: judged.who, signal })
    const isLate = turn !== undefined && !turn.holds()
    if (!rejection && !isLate) return { found, turn }
    await turn?.release()
    return rejection ?? lateTurn(judged, app)
  } catch (cause) {
    if (turn && 'release' in turn) await turn.release()
    return rejectFailed(judged.verdict.endpoint, cause, {
      stage: turn ? 'lookups' : 'turn',
      house: app,
      statuses: judged.opened.destination.endpoint.statuses,
    })
  }
}
