/** The booking page: a form made from the intake, the night as a picture, and the list of sessions. */
import { useForm } from '@tanstack/react-form'
import { useCallback, useEffect, useMemo, useRef, useState } from 'react'
import { createRoot } from 'react-dom/client'
import { type Call, client } from 'yosei/client'
import { FieldControl, type FormApi } from './field.tsx'
import { Night, type Window } from './night.tsx'
import {
  app,
  blank,
  type bookSession,
  inWords,
  judged,
  labelAt,
  nightOf,
  parts,
  type Values,
  valueAt,
} from './outline.ts'
import { Sessions } from './sessions.tsx'
import './page.css'

export type Faults = { readonly [address: string]: readonly string[] }
type Told = { readonly [address: string]: readonly { readonly message: string }[] }
const messagesOf = (told: Told): Faults =>
  Object.fromEntries(
    Object.entries(told).map(([address, errors]) => [address, errors.map(({ message }) => inWords(message))]),
  )
const minutes = (time: Date) => `${time.toISOString().slice(0, 16)}:00Z`

function Booking() {
  const [key, setKey] = useState(() => sessionStorage.getItem('key') ?? 'nebula-key')
  useEffect(() => sessionStorage.setItem('key', key), [key])
  const observatory = useMemo(
    () => client(app, { base: location.origin, headers: { authorization: `Bearer ${key}` } }),
    [key],
  )
  /** What only the server knew, and of which values: it stays until they change. */
  const [late, setLate] = useState<{ readonly faults: Faults; readonly of: Values }>()
  const [isSent, setSent] = useState(false)
  const [isUnderWay, setUnderWay] = useState(false)
  const isBusy = useRef(false)
  /** Counts what was not booked: after each the summary has the focus. */
  const [rejections, setRejections] = useState(0)
  const [done, setDone] = useState<string>()
  /** The same values are the same attempt, however often they are sent. */
  const attempt = useRef({ of: '', key: '' })
  const keyOf = (of: Values): string => {
    const text = JSON.stringify(of)
    if (attempt.current.of !== text) attempt.current = { of: text, key: crypto.randomUUID() }
    return attempt.current.key
  }
  const [telescopes, setTelescopes] = useState<readonly string[]>([])
  useEffect(() => {
    observatory.listTelescopes({}).then(
      (answer) => {
        if (answer.outcome === 'accepted') setTelescopes(answer.value.telescopes.map(({ id }) => id))
      },
      () => undefined,
    )
  }, [observatory])
  const [changes, setChanges] = useState(0)
  const summary = useRef<HTMLDivElement>(null)

  const form = useForm({
    defaultValues: useMemo(first, []),
    validators: {
      // The form's own checks are those of the intake, and come at the addresses that it has.
      onChange: ({ value }) => {
        const verdict = judged(value, attempt.current.key || firstKey)
        return verdict.outcome === 'rejected' ? { fields: messagesOf(verdict.errorsByField) as object } : undefined
      },
    },
    onSubmitInvalid() {
      setSent(true)
      setRejections((count) => count + 1)
    },
    onSubmit: async ({ value }) => {
      setSent(true)
      const verdict = judged(value, keyOf(value))
      if (verdict.outcome === 'rejected') return
      setUnderWay(true)
      const answer = await (observatory.bookSession as Call<typeof bookSession>)(verdict.input as never).catch(
        () => undefined,
      )
      setUnderWay(false)
      if (answer?.outcome === 'accepted') {
        const { sessionId, night } = answer.value
        setLate(undefined)
        setSent(false)
        setDone(
          sessionId
            ? `Session ${sessionId} is booked for the night of ${night}.`
            : `It would be booked for the night of ${night}.`,
        )
        setChanges((count) => count + 1)
        return
      }
      setDone(undefined)
      setRejections((count) => count + 1)
      setLate({
        of: value,
        faults: answer
          ? messagesOf(
              answer.errors.length > 0
                ? answer.errorsByField
                : { '': [{ message: `the observatory answered ${answer.status}` }] },
            )
          : { '': ['the observatory does not answer; try again'] },
      })
    },
  })
  // Its fields go by their addresses, which are texts here.
  const fields = form as unknown as FormApi
  const [values, setValues] = useState<Values>(form.state.values)
  useEffect(
    () =>
      form.store.subscribe(() => {
        setValues(form.state.values)
        keep(form.state.values)
      }).unsubscribe,
    [form],
  )

  const own = useMemo((): Faults => {
    const verdict = judged(values, firstKey)
    return verdict.outcome === 'rejected' ? messagesOf(verdict.errorsByField) : {}
  }, [values])
  const remote = useMemo((): Faults => {
    if (!late) return {}
    const isSame = (address: string) =>
      JSON.stringify(valueAt(values, address)) === JSON.stringify(valueAt(late.of, address))
    return Object.fromEntries(Object.entries(late.faults).filter(([address]) => isSame(address)))
  }, [late, values])
  /** What is reported of a field: its own faults once it was left, or the form was sent. */
  const faultsAt = useCallback(
    (address: string, isLeft: boolean): readonly string[] => [
      ...(isLeft || isSent ? (own[address] ?? []) : []),
      ...(remote[address] ?? []),
    ],
    [own, remote, isSent],
  )
  const all = Object.entries({ ...(isSent ? own : {}), ...remote })
  const hasFaults = isSent && all.length > 0
  useEffect(() => {
    if (rejections > 0) summary.current?.focus()
  }, [rejections])

  const window_: Window = {
    opens: String(valueAt(values, 'body.window.opens') ?? ''),
    closes: String(valueAt(values, 'body.window.closes') ?? ''),
  }
  const telescope = String(valueAt(values, 'path.telescopeId') ?? '')
  const night = Number.isNaN(Date.parse(window_.opens)) ? undefined : nightOf(new Date(window_.opens))
  return (
    <>
      <header className="sky">
        <h1>Observatory</h1>
        <label>
          your key
          <input
            id="header.authorization"
            value={key}
            onChange={(event) => {
              setKey(event.target.value)
              setLate(undefined)
            }}
            spellCheck={false}
            autoComplete="off"
          />
        </label>
        <a href="operator">operators</a>
      </header>
      <main>
        <form
          noValidate
          aria-label="Book a session"
          onSubmit={(event) => {
            event.preventDefault()
            // A second click books nothing more.
            if (isBusy.current) return
            isBusy.current = true
            form.handleSubmit().finally(() => {
              isBusy.current = false
            })
          }}
        >
          <h2>Book a session</h2>
          <div ref={summary} tabIndex={-1} role="alert" className="summary" hidden={!hasFaults}>
            <p>{all.length === 1 ? 'One field is not right yet:' : `${all.length} fields are not right yet:`}</p>
            <ul>
              {all.map(([address, messages]) => (
                <li key={address}>
                  {address !== '' && (
                    <a href={`#${address}`} onClick={() => document.getElementById(address)?.focus()}>
                      {labelAt(address)}
                    </a>
                  )}{' '}
                  {messages.join('; ')}
                </li>
              ))}
            </ul>
          </div>
          {parts.map(([part, field]) => (
            <FieldControl
              key={part}
              form={fields}
              address={part}
              name=""
              field={field}
              faultsAt={faultsAt}
              values={values}
              choices={{ 'path.telescopeId': telescopes }}
            />
          ))}
          <p className="done" role="status">
            {done}
          </p>
          <button type="submit" className="main" aria-disabled={isUnderWay}>
            {isUnderWay ? 'Booking …' : 'Book'}
          </button>
        </form>
        <div className="aside">
          <Night
            observatory={observatory}
            telescope={telescope}
            night={night}
            window={window_}
            changes={changes}
            onChange={(edge, time) => {
              for (const [name, moved] of Object.entries(pushed(window_, edge, time))) {
                fields.setFieldValue(`body.window.${name}`, minutes(moved))
                fields.setFieldMeta(`body.window.${name}`, (meta) => ({ ...meta, isBlurred: true, isTouched: true }))
              }
            }}
          />
          <Sessions observatory={observatory} changes={changes} telescopes={telescopes} />
        </div>
      </main>
    </>
  )
}

/** An edge where it was moved to, and the other one if it lay in the way. */
function pushed(now: Window, edge: 'opens' | 'closes', time: Date): { readonly [edge: string]: Date } {
  const [opens, closes] = [Date.parse(now.opens), Date.parse(now.closes)]
  if (edge === 'opens' && time.getTime() >= closes) return { opens: time, closes: new Date(time.getTime() + shortest) }
  if (edge === 'closes' && time.getTime() <= opens) return { opens: new Date(time.getTime() - shortest), closes: time }
  return { [edge]: time }
}
/** Of a window whose one edge pushes the other, in milliseconds. */
const shortest = 300_000

/** Until the first is sent, any key is as good. */
const firstKey = 'not-sent-yet'

const stored = 'booking'
/** A reload brings the form back, but for its secrets. */
function keep(values: Values): void {
  const { doorCode: _, ...body } = values['body'] as { readonly [name: string]: unknown }
  sessionStorage.setItem(stored, JSON.stringify({ ...values, body }))
}
/** What the form had before a reload; else an evening in a week, so that the night has something to show. */
function first(): Values {
  const opens = new Date(Math.floor(Date.now() / 86_400_000 + 4) * 86_400_000 + 79_200_000)
  const values = blank() as { [part: string]: { [name: string]: unknown } }
  const made = {
    ...values,
    path: { telescopeId: 'kr-2' },
    header: { ...values['header'], 'x-team': 'nebula' },
    body: {
      ...values['body'],
      window: { opens: minutes(opens), closes: minutes(new Date(opens.getTime() + 3 * 3_600_000)) },
    },
  }
  const kept = JSON.parse(sessionStorage.getItem(stored) ?? '{}') as { readonly body?: object }
  return { ...made, ...kept, body: { ...made.body, ...kept.body } } as unknown as Values
}

createRoot(document.getElementById('root') as HTMLElement).render(<Booking />)
