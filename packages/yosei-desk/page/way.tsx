/** The way of the request: how far it came, and where it stopped. */
import { useEffect, useRef } from 'react'
import type { Step } from 'yosei'
import type { EndpointOutline, Judged } from '../src/terms.ts'
import { shownValue } from './model/words.ts'

export type Stop = 'message' | 'answer' | Station
type Station = (typeof stations)[number]
const stations = ['match', 'admit', 'identify', 'receive', 'read', 'check', 'turn', 'lookups', 'handle'] as const
/** What the stages of a trace belong to. */
const stationOf = (stage: string | undefined): Station =>
  stage === 'shape' || stage === 'rules' || stage === 'fill'
    ? 'check'
    : stage === 'attest'
      ? 'receive'
      : (stations.find((one) => one === stage) ?? 'handle')

interface WayProps {
  readonly judged: Judged
  readonly outline: EndpointOutline
  readonly open: Stop | undefined
  readonly onOpen: (stop: Stop | undefined) => void
}
export function Way({ judged, outline, open, onOpen }: WayProps) {
  const { outcome, status } = judged
  const end =
    outcome === 'rejected'
      ? stations.indexOf(stationOf(judged.stage))
      : outcome === 'pending'
        ? stations.indexOf('lookups')
        : stations.length - 1
  // On a low screen the way is one line that scrolls: the end of it is in view.
  const list = useRef<HTMLOListElement>(null)
  useEffect(() => {
    const reached = list.current?.children[end + 1]
    if (list.current && reached instanceof HTMLElement) list.current.scrollLeft = reached.offsetLeft - 60
  }, [end])
  const stop = (name: Stop, label: string, state: string, said: string) => (
    <li key={name} data-state={state}>
      <button
        type="button"
        aria-expanded={open === name}
        aria-label={`${label}${state === 'stopped' ? ` ${status}` : ''}: ${said}`}
        onClick={() => onOpen(open === name ? undefined : name)}
      >
        {label}
        {state === 'stopped' && <b> {status}</b>}
      </button>
    </li>
  )
  return (
    <ol ref={list} className="way" aria-label="The way of the request">
      {stop('message', 'message', 'passed', 'as it is sent')}
      {stations.map((name, index) => {
        const isNone =
          (name === 'turn' && !outline.turn) || (name === 'lookups' && Object.keys(outline.lookups).length === 0)
        const state =
          index < end || (index === end && outcome === 'accepted')
            ? isNone
              ? 'none'
              : 'passed'
            : index > end
              ? 'beyond'
              : outcome === 'pending'
                ? 'waiting'
                : 'stopped'
        return stop(name, name, state, state === 'none' ? 'there is none' : state)
      })}
      {stop(
        'answer',
        'answer',
        outcome === 'pending' ? 'beyond' : 'passed',
        outcome === 'rejected' ? `${status}` : 'by its handler',
      )}
    </ol>
  )
}

const told: { readonly [S in Station]: string } = {
  match: 'method and path are matched with the templates',
  admit: 'limits and media type, from the head alone',
  identify: 'the caller, and the permission',
  receive: 'the bytes of the body, within limits of size and time',
  read: 'bytes and text become values',
  check: 'every field and every rule; all errors at once',
  turn: 'one request for each key at a time; a server takes it, the desk does not',
  lookups: 'checks against services, side by side',
  handle: 'the handler gets what was read',
}

/** What happened at a stage. */
export function Station({ at, judged }: { at: Station; judged: Judged }) {
  const steps = judged.steps.filter(({ stage }) => stationOf(stage) === at)
  const faults = judged.errors.filter(({ stage }) => stationOf(stage) === at)
  return (
    <section className="station" aria-label={at}>
      <p>{told[at]}</p>
      {at === 'turn' && judged.turn && (
        <p>
          the key of <code>{judged.turn.of}</code>: <code>{judged.turn.key.map(shownValue).join(', ')}</code>
        </p>
      )}
      {at === 'lookups' && judged.unasked.length > 0 && (
        <p>not asked, since there are no services: {judged.unasked.join(', ')}</p>
      )}
      {at === 'handle' && judged.outcome !== 'rejected' && <pre>{JSON.stringify(judged.input, null, 2)}</pre>}
      {steps.length > 0 && (
        <ul>
          {steps.map((step, index) => (
            <StepRow key={index} step={step} />
          ))}
        </ul>
      )}
      {faults
        .filter(({ address }) => address === '' || at !== 'check')
        .map(({ address, code, message }) => (
          <p key={`${address} ${code}`} className="bad">
            {address && <code>{address} </code>}
            {message}
          </p>
        ))}
    </section>
  )
}

function StepRow({ step: { stage, name, outcome, because, asked, found, took } }: { step: Step }) {
  return (
    <li data-outcome={outcome}>
      <b>{outcome === 'passed' ? 'held' : outcome === 'observed' ? 'logged' : outcome}</b> <code>{name ?? stage}</code>
      {because && <small> {because}</small>}
      {asked && (
        <div className="asked">
          asked <code>{asked.map(shownValue).join(', ')}</code>
          {found !== undefined && (
            <>
              , found <code>{shownValue(found)}</code>
            </>
          )}
          {took !== undefined && <small> {took < 10 ? took.toFixed(1) : took.toFixed(0)} ms</small>}
        </div>
      )}
    </li>
  )
}
