/** What is sent, in the control that its kind has. */
import { type ChangeEvent, type KeyboardEvent, lazy, type ReactNode, Suspense, useId, useRef, useState } from 'react'
import { bytesOf, fileMark, loneByte } from '../src/bytes.ts'
import { leaf, shownText } from './model/edits.ts'
import type { Line } from './model/lines.ts'
import { isOutOfRange } from './model/range.ts'

const Days = lazy(() => import('./days.tsx'))

export interface ControlProps {
  /** What is sent, as it stands in the message. */
  readonly sent: string
  readonly line: Line
  readonly id: string
  readonly isRaw: boolean
  readonly isFaulty: boolean
  readonly describedBy: string
  /** The day that limits count from, and calendars open at. */
  readonly clock: Date
  readonly onType: (value: string) => void
  readonly onRaw: (raw: string) => void
  readonly onLeave: () => void
  readonly onFile: (file: File) => void
}

export function Control(props: ControlProps) {
  const { sent: raw, line, isRaw, id, isFaulty, describedBy, clock } = props
  const [isShown, setShown] = useState(false)
  const field = leaf(line.field)
  const common = {
    id,
    'aria-label': line.address,
    'aria-invalid': isFaulty || undefined,
    'aria-describedby': describedBy,
    spellCheck: false,
    autoComplete: 'off',
  } as const
  if (isRaw || (line.codec === 'json' && /^[[{]/.test(raw))) return <Raw {...props} common={common} raw={raw} />
  const text = shownText(raw, line)
  if (field.kind === 'flag') return <Flag {...props} text={text} raw={raw} />
  if (field.kind === 'choice' && field.values)
    return <Choice {...props} common={common} text={text} values={field.values} />
  if (field.kind === 'file') return <FileControl {...props} common={common} text={text} />
  const isTime = field.kind === 'instant' || field.kind === 'day'
  const isLong = text.includes('\n') || text.length > 120
  return (
    <>
      <Typed
        text={raw === 'null' && line.codec === 'json' && !isLong ? '' : text}
        onType={props.onType}
        onLeave={line.slice && line.part !== 'path' ? props.onLeave : undefined}
      >
        {(typed) =>
          isLong && !line.isSecret ? (
            <textarea {...common} {...typed} rows={Math.min(12, text.split('\n').length + 1)} />
          ) : (
            <input
              {...common}
              {...typed}
              type={line.isSecret && !isShown ? 'password' : 'text'}
              inputMode={field.kind === 'integer' || field.kind === 'number' ? 'decimal' : 'text'}
              placeholder={
                line.slice ? (raw === 'null' ? 'null' : text === '' ? 'empty' : undefined) : placeholderOf(line)
              }
            />
          )
        }
      </Typed>
      {line.isSecret && (
        <button
          type="button"
          className="quiet"
          aria-pressed={isShown}
          aria-label={`show ${line.address}`}
          onClick={() => setShown((now) => !now)}
        >
          {isShown ? 'hide' : 'show'}
        </button>
      )}
      <TypeMark line={line} raw={raw} kind={field.kind} />
      {isTime && !line.isSecret && <DayButton line={line} text={text} clock={clock} onType={props.onType} />}
    </>
  )
}

interface TypedProps {
  readonly value: string
  onChange(event: ChangeEvent<HTMLInputElement | HTMLTextAreaElement>): void
  onKeyDown(event: KeyboardEvent<HTMLInputElement | HTMLTextAreaElement>): void
  onBlur(): void
}
/**
 * What is typed stays while it is typed: a message drops blanks at the ends of a header field, and the next word would
 * follow without one.
 */
function Typed({
  text,
  onType,
  onLeave,
  children,
}: {
  text: string
  onType: (value: string) => void
  /** If it can be left out: Backspace does, when there is nothing left to take away. */
  onLeave: (() => void) | undefined
  children: (typed: TypedProps) => ReactNode
}) {
  const [typed, setTyped] = useState<string>()
  return children({
    value: typed !== undefined && typed.trim() === text.trim() ? typed : text,
    onChange({ target: { value } }) {
      setTyped(value)
      onType(value)
    },
    onKeyDown(event) {
      if (event.key !== 'Backspace' || event.repeat || event.currentTarget.value !== '' || !onLeave) return
      event.preventDefault()
      setTyped(undefined)
      onLeave()
    },
    onBlur: () => setTyped(undefined),
  })
}

function placeholderOf({ field, part }: Line): string {
  if (!field) return 'not sent'
  if (field.need === 'defaulted') return field['computed'] ? 'by default' : shownDefault(field['default'])
  return part === 'path' ? '' : 'not sent'
}
const shownDefault = (value: unknown) => `${typeof value === 'string' ? value : JSON.stringify(value)} by default`

const textKinds = new Set(['text', 'instant', 'day', 'duration', 'decimal', 'timeOfDay'])

/** Says where what is sent is of another JSON type than its control looks like. */
function TypeMark({ line, raw, kind }: { line: Line; raw: string; kind: string }) {
  if (line.codec !== 'json' || raw === '') return null
  const isText = raw.startsWith('"')
  if (isText === textKinds.has(kind) || !(isText || textKinds.has(kind))) return null
  return (
    <span className="type-mark">
      {isText ? 'text' : raw === 'null' ? 'null' : /^[tf]/.test(raw) ? 'flag' : 'number'}
    </span>
  )
}

interface Common {
  readonly id: string
  readonly 'aria-label': string
  readonly 'aria-invalid': true | undefined
  readonly 'aria-describedby': string
}

function Raw({ onRaw, raw, common, line }: ControlProps & { common: Common; raw: string }) {
  const lines = raw.split('\n').length
  if (lines === 1 && raw.length < 100)
    return (
      <input
        {...common}
        className="raw"
        type={line.isSecret ? 'password' : 'text'}
        value={raw}
        placeholder="as it stands in the message"
        onChange={(event) => onRaw(event.target.value)}
      />
    )
  return (
    <textarea
      {...common}
      className="raw"
      value={raw}
      rows={Math.min(14, lines)}
      onChange={(event) => onRaw(event.target.value)}
    />
  )
}

/** Three states: true, false, not sent; and whatever else was written. */
function Flag({
  id,
  line,
  text,
  raw,
  isFaulty,
  describedBy,
  onType,
  onLeave,
}: ControlProps & { text: string; raw: string }) {
  const isBare = line.slice !== undefined && line.codec !== 'json' && raw === ''
  const now =
    line.slice === undefined
      ? undefined
      : isBare || (raw === text && (text === 'true' || text === '1'))
        ? 'true'
        : raw === text && (text === 'false' || text === '0')
          ? 'false'
          : 'other'
  const name = useId()
  const state = (value: string | undefined, label: string, first: boolean) => (
    <label>
      <input
        type="radio"
        name={name}
        {...(first ? { id } : {})}
        checked={now === value}
        aria-describedby={describedBy}
        aria-invalid={isFaulty || undefined}
        onChange={() => (value === undefined ? onLeave() : onType(value))}
      />
      {label}
    </label>
  )
  return (
    <fieldset className="flag" aria-label={line.address}>
      {state('true', 'true', true)}
      {state('false', 'false', false)}
      {line.part !== 'path' && state(undefined, 'not sent', false)}
      {now === 'other' && <span className="type-mark">{raw}</span>}
    </fieldset>
  )
}

function Choice({
  common,
  text,
  values,
  line,
  onType,
  onLeave,
}: ControlProps & { common: Common; text: string; values: readonly unknown[] }) {
  const titles = (leaf(line.field).titles ?? {}) as { readonly [value: string]: string }
  const all = values.map(String)
  const isSent = line.slice !== undefined
  return (
    <select
      {...common}
      value={isSent ? `=${text}` : ''}
      onChange={({ target: { value } }) => (value === '' ? onLeave() : onType(value.slice(1)))}
    >
      <option value="">{isSent ? 'leave out' : placeholderOf(line) || 'choose'}</option>
      {all.map((one) => (
        <option key={one} value={`=${one}`}>
          {Object.hasOwn(titles, one) ? `${one}: ${titles[one]}` : one}
        </option>
      ))}
      {isSent && !all.includes(text) && <option value={`=${text}`}>{text === '' ? '(empty)' : text}</option>}
    </select>
  )
}

function FileControl({ common, line, text, onFile, onType }: ControlProps & { common: Common; text: string }) {
  const input = useRef<HTMLInputElement>(null)
  const bytes = Number(fileMark.exec(text)?.[2] ?? bytesOf(text).length)
  const told = line.slice ? [line.file?.name, line.file?.type, `${bytes} bytes`].filter(Boolean).join(', ') : 'not sent'
  const isWritten = text.length < 200 && !loneByte.test(text) && !fileMark.test(text)
  const { 'aria-label': label, ...others } = common
  return (
    <span className="file">
      {isWritten && <input {...common} type="text" value={text} onChange={(event) => onType(event.target.value)} />}
      <input
        ref={input}
        type="file"
        hidden
        aria-hidden
        tabIndex={-1}
        onChange={({ target: { files } }) => files?.[0] && onFile(files[0])}
      />
      <button
        type="button"
        className="quiet"
        onClick={() => input.current?.click()}
        aria-label={`choose a file for ${label}`}
        {...(isWritten ? {} : others)}
      >
        choose
      </button>
      <small>{told}</small>
    </span>
  )
}

function DayButton({
  line,
  text,
  clock,
  onType,
}: {
  line: Line
  text: string
  clock: Date
  onType: (value: string) => void
}) {
  const [isOpen, setOpen] = useState(false)
  const button = useRef<HTMLButtonElement>(null)
  const [, day, rest = 'T00:00:00Z'] = /^(\d{4}-\d\d-\d\d)(.*)$/.exec(text) ?? []
  const isDay = leaf(line.field).kind === 'day'
  return (
    <>
      <button
        ref={button}
        type="button"
        className="quiet"
        aria-label={`calendar of ${line.address}`}
        aria-haspopup="dialog"
        onClick={() => setOpen(true)}
      >
        <svg viewBox="0 0 16 16" width="14" height="14" aria-hidden="true">
          <path d="M1.5 3.5h13v11h-13zM1.5 6.5h13M4.5 1.5v3M11.5 1.5v3" fill="none" stroke="currentColor" />
        </svg>
      </button>
      {isOpen && (
        <Suspense fallback={null}>
          <Days
            anchor={button}
            value={day}
            clock={clock}
            isOut={(one) => isOutOfRange(one, leaf(line.field), clock)}
            onClose={() => setOpen(false)}
            onChoose={(chosen) => {
              onType(isDay ? chosen : `${chosen}${rest || 'T00:00:00Z'}`)
              setOpen(false)
            }}
          />
        </Suspense>
      )}
    </>
  )
}
