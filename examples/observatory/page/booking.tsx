/** The booking page: a form made from the intake, the night as a picture, and the list of sessions. */
import { useForm } from '@tanstack/react-form'
import { useCallback, useEffect, useMemo, useRef, useState } from 'react'
import { createRoot } from 'react-dom/client'
import { type Call, client } from 'yosei/client'
import { FieldControl, type FormApi } from './field.tsx'
import { Night, type Window } from './night.tsx'
import { app, blank, type bookSession, judged, nightOf, parts, type Values, valueAt } from './outline.ts'
import { Sessions } from './sessions.tsx'
import './page.css'

export type Faults = { readonly [address: string]: readonly string[] }
type Told = { readonly [address: string]: readonly { readonly message: string }[] }
const messagesOf = (told: Told): Faults =>
  Object.fromEntries(Object.entries(told).map(([address, errors]) => [address, errors.map(({ message }) => message)]))
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
  const [done, setDone] = useState<string>()
  const [changes, setChanges] = useState(0)
  const summary = useRef<HTMLDivElement>(null)

  const form = useForm({
    defaultValues: useMemo(first, []),
    validators: {
      // The form's own checks are those of the intake, and come at the addresses that it has.
      onChange: ({ value }) => {
        const verdict = judged(value)
        return verdict.outcome === 'rejected' ? { fields: messagesOf(verdict.errorsByField) as object } : undefined
      },
    },
    onSubmitInvalid: () => setSent(true),
    onSubmit: async ({ value }) => {
      setSent(true)
      const verdict = judged(value)
      if (verdict.outcome === 'rejected') return
      const answer = await (observatory.bookSession as Call<typeof bookSession>)(verdict.input as never).catch(
        () => undefined,
      )
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
  useEffect(() => form.store.subscribe(() => setValues(form.state.values)).unsubscribe, [form])

  const own = useMemo((): Faults => {
    const verdict = judged(values)
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
    if (hasFaults) summary.current?.focus()
  }, [form.state.submissionAttempts, late])

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
          <input value={key} onChange={(event) => setKey(event.target.value)} spellCheck={false} autoComplete="off" />
        </label>
        <a href="operator">operators</a>
      </header>
      <main>
        <form
          noValidate
          aria-label="Book a session"
          onSubmit={(event) => {
            event.preventDefault()
            form.handleSubmit()
          }}
        >
          <h2>Book a session</h2>
          <div ref={summary} tabIndex={-1} role="alert" className="summary" hidden={!hasFaults}>
            <p>{all.length === 1 ? 'One field is not right yet:' : `${all.length} fields are not right yet:`}</p>
            <ul>
              {all.map(([address, messages]) => (
                <li key={address}>
                  {address === '' ? '' : <a href={`#${address}`}>{address}</a>} {messages.join('; ')}
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
            />
          ))}
          <p className="done" role="status">
            {done}
          </p>
          <button type="submit" className="main">
            Book
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
              fields.setFieldValue(`body.window.${edge}`, minutes(time))
              fields.setFieldMeta(`body.window.${edge}`, (meta) => ({ ...meta, isBlurred: true, isTouched: true }))
            }}
          />
          <Sessions observatory={observatory} changes={changes} />
        </div>
      </main>
    </>
  )
}

/** An evening in a week, so that the night has something to show. */
function first(): Values {
  const opens = new Date(Math.floor(Date.now() / 86_400_000 + 4) * 86_400_000 + 79_200_000)
  const values = blank() as { [part: string]: { [name: string]: unknown } }
  return {
    ...values,
    path: { telescopeId: 'kr-2' },
    header: { ...values['header'], 'x-team': 'nebula' },
    body: {
      ...values['body'],
      window: { opens: minutes(opens), closes: minutes(new Date(opens.getTime() + 3 * 3_600_000)) },
    },
  } as Values
}

createRoot(document.getElementById('root') as HTMLElement).render(<Booking />)
