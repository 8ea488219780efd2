/** What stands around the ledger: above it the verdict, the clock and who asks; below it the line that has the focus. */
import { useState } from 'react'
import type { Caller, Draft, Judged } from '../src/terms.ts'
import type { Line } from './model/lines.ts'
import { statusOf, summaryOf } from './model/verdicts.ts'
import { whole, wordsOf } from './model/words.ts'

interface MastheadProps {
  readonly title: string
  /** Method and template of the endpoint, or of the nearest if there is none. */
  readonly about: string | undefined
  readonly isNearest: boolean
  readonly sample: string | undefined
  readonly judged: Judged | undefined
  /** Whether what stands there is still being judged. */
  readonly isOld: boolean
  readonly isRail: boolean
  readonly keys: string
  readonly onRail: () => void
  readonly onActions: () => void
}
export function Masthead(props: MastheadProps) {
  const { title, about, isNearest, sample, judged, isOld, isRail, keys, onRail, onActions } = props
  return (
    <header className="masthead">
      <button
        type="button"
        className="quiet"
        aria-expanded={isRail}
        onClick={onRail}
        aria-label="Endpoints and samples"
      >
        <svg viewBox="0 0 16 16" width="15" height="15" aria-hidden="true">
          <path d="M1 3.5h14M1 8h14M1 12.5h14" fill="none" stroke="currentColor" />
        </svg>
      </button>
      <div className="title">
        <h1>{title}</h1>
        <p>
          {isNearest && about !== undefined && <span>the nearest is</span>}
          {about !== undefined && <code>{about}</code>}
          {sample !== undefined && <span>{sample}</span>}
        </p>
      </div>
      {judged && (
        <output
          className="verdict"
          aria-live="polite"
          aria-busy={isOld}
          data-outcome={judged.outcome}
          data-old={isOld || undefined}
        >
          <b>{statusOf(judged)}</b>
          <span>{summaryOf(judged)}</span>
          {isOld && <em>judging …</em>}
        </output>
      )}
      <button type="button" onClick={onActions} aria-haspopup="dialog">
        actions <kbd>{keys}</kbd>
      </button>
    </header>
  )
}

/** A notice, and what takes back what it speaks of. */
export interface Notice {
  readonly text: string
  readonly undo?: (() => void) | undefined
}
export function Notices({ notice, onClose }: { notice: Notice | undefined; onClose: () => void }) {
  return (
    <p className="notice" role="status" hidden={notice === undefined}>
      {notice?.text}
      {notice?.undo && (
        <button type="button" onClick={notice.undo}>
          undo
        </button>
      )}
      <button type="button" className="quiet" onClick={onClose} aria-label="put the notice away">
        ×
      </button>
    </p>
  )
}

interface AboutProps {
  readonly draft: Draft
  readonly hasWho: boolean
  readonly callers: readonly Caller[]
  /** The caller that the message speaks for, among those. */
  readonly caller: number | undefined
  /** Why nothing can be judged, and at what. */
  readonly trouble: { readonly at?: string | undefined; readonly message: string } | undefined
  readonly isSending: boolean
  readonly onChange: (more: Partial<Draft>, what: string) => void
  readonly onCaller: (caller: Caller | undefined) => void
  readonly onFill: (which: 'smallest' | 'fullest') => void
  /** If it can be sent, and saved. */
  readonly onSend: (() => void) | undefined
  readonly onSave: (() => void) | undefined
}
export function About(props: AboutProps) {
  const { draft, hasWho, callers, caller, trouble, isSending, onChange, onCaller, onFill, onSend, onSave } = props
  const [isJson, setJson] = useState(false)
  const chosen = isJson ? 'json' : caller !== undefined ? String(caller) : draft.who !== undefined ? 'json' : ''
  const wrong = (at: string) =>
    trouble?.at === at ? (
      <p className="bad" role="alert" id={`wrong-${at}`}>
        {trouble.message}
      </p>
    ) : null
  const invalid = (at: string) =>
    trouble?.at === at ? { 'aria-invalid': true as const, 'aria-describedby': `wrong-${at}` } : {}
  return (
    <div className="about">
      <label>
        clock
        <input
          value={draft.now ?? ''}
          placeholder="now"
          spellCheck={false}
          {...invalid('now')}
          onChange={(event) => onChange({ now: event.target.value }, 'now')}
        />
      </label>
      {(hasWho || callers.length > 0) && (
        <label>
          who asks
          <select
            value={chosen}
            onChange={({ target: { value } }) => {
              setJson(value === 'json')
              if (value !== 'json') onCaller(value === '' ? undefined : callers[Number(value)])
            }}
          >
            <option value="">as the request says</option>
            {callers.map(({ label }, index) => (
              <option key={label + String(index)} value={index}>
                {label}
              </option>
            ))}
            {hasWho && <option value="json">another, as JSON</option>}
          </select>
        </label>
      )}
      {chosen === 'json' && (
        <label className="wide">
          caller
          <input
            value={draft.who ?? ''}
            placeholder={'{"name": "a value"}'}
            spellCheck={false}
            {...invalid('who')}
            onChange={(event) => onChange({ who: event.target.value }, 'who')}
          />
        </label>
      )}
      <span className="choices">
        <button type="button" className="quiet" onClick={() => onFill('smallest')}>
          fill with as little as possible
        </button>
        <button type="button" className="quiet" onClick={() => onFill('fullest')}>
          fill with everything
        </button>
        {onSend && (
          <button type="button" className="quiet" onClick={onSend} aria-expanded={isSending}>
            send
          </button>
        )}
        {onSave && (
          <button type="button" className="quiet" onClick={onSave} aria-haspopup="dialog">
            save
          </button>
        )}
      </span>
      {wrong('now')}
      {wrong('who')}
    </div>
  )
}

/** What the line that has the focus takes. */
export function Footnote({ line, rules = [] }: { line: Line | undefined; rules: readonly string[] | undefined }) {
  const field = line?.field && whole(line.field)
  return (
    <footer className="footnote" aria-live="off">
      {line && (
        <>
          <code>{line.address}</code>
          {field?.title && <b>{field.title}</b>}
          {field?.description && <span>{field.description}</span>}
          {field ? <span>{wordsOf(field)}</span> : line.address !== 'path' && <span>not declared</span>}
          {rules.map((words) => (
            <em key={words}>rule: {words}</em>
          ))}
        </>
      )}
    </footer>
  )
}
