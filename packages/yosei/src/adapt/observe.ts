/** Requests that are only watched: judged as they go by, and nothing of them is changed. */
import type { IncomingMessage } from 'node:http'
import * as platform from '#platform'
import type { EndpointNode } from '../declare/endpoint.js'
import type { IntakeNode } from '../declare/intake.js'
import { askLookups } from '../judge/lookups.js'
import { foreign } from '../judge/receive.js'
import { type AcceptedJudgement, type Judged, judgeStages } from '../judge/stages.js'
import { type Rejection, rejectFailed } from '../judge/verdict.js'
import { startDeadline } from '../read/deadline.js'
import { isEmpty } from '../terms/own.js'
import { type SettledLimits, settleLimits } from '../terms/policy.js'
import type { RequestTelemetry } from '../terms/telemetry.js'
import { isRaw, type NodeBody, type NodeIncoming } from './incoming.js'

/**
 * @param report Gets what would have been rejected, and what failed: once, when all is judged. If there are lookups, that is
 * later than the judgement.
 */
export async function watch(
  app: IntakeNode,
  endpoint: EndpointNode,
  { node, message, signal, body }: NodeIncoming,
  parsed: unknown,
  kept: Uint8Array | undefined,
  {
    services,
    folds,
    telemetry,
  }: { readonly services: unknown; readonly folds: boolean; readonly telemetry: RequestTelemetry | undefined },
  report: (rejection: Rejection | undefined, judged: Judged) => void,
): Promise<Judged> {
  const isParsed = node.readableEnded && parsed !== undefined && !isRaw(parsed)
  const limits = settleLimits(endpoint.limits)
  const bytes = isRaw(parsed) ? parsed : isParsed || body === null ? null : await peek(node, body, limits)
  const received = isParsed ? { received: foreign(parsed, kept) } : {}
  const options = { services, identity: 'asked', signal, platform, folds, telemetry, ...received } as const
  const judged = await judgeStages(app, { ...message, body: bytes }, options)
  const { verdict, who } = judged
  const failed = (cause: unknown) =>
    rejectFailed(endpoint.name, cause, { stage: 'lookups', house: app, statuses: endpoint.statuses })
  if (verdict.outcome === 'rejected') report(verdict, judged)
  else if (!isEmpty(endpoint.lookups))
    askLookups(judged as AcceptedJudgement, { services, who, signal: signal }).then(
      ({ rejection }) => report(rejection, judged),
      (cause) => report(failed(cause), judged),
    )
  else report(undefined, judged)
  return judged
}

/**
 * What comes of a body within its limits, put back before the stream has ended: who reads it behind the gate reads it
 * as if it were new.
 */
function peek(
  request: IncomingMessage,
  source: NodeBody,
  { body: most, receive }: SettledLimits,
): Promise<Uint8Array | null> {
  return new Promise((resolve) => {
    const chunks: Uint8Array[] = []
    let length = 0
    const take = () => {
      // To read what is not there would end a stream that has come to its end.
      while (request.readableLength > 0) {
        const chunk: Uint8Array = request.read()
        chunks.push(chunk)
        length += chunk.length
      }
      if (request.complete || length > most) end()
    }
    const end = () => {
      late.off()
      for (const event of ['readable', 'close', 'error']) request.off(event, event === 'readable' ? take : end)
      const bytes = Buffer.concat(chunks)
      // In the same turn of the event loop in which the last of it was read: the stream has not said that it ended.
      if (length > 0 && !request.destroyed) request.unshift(bytes)
      resolve(length > 0 ? bytes : null)
    }
    const late = startDeadline(receive, end)
    source.onFail(end)
    request.on('readable', take)
    request.on('close', end)
    request.on('error', end)
  })
}
