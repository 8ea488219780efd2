/** The ledger: a line for each field, with what is sent, what it is read as, and what is wrong with it. */
import { useVirtualizer } from '@tanstack/react-virtual'
import { memo, type RefObject, useLayoutEffect, useRef, useState } from 'react'
import type { FieldError, Reading } from 'yosei'
import { Control } from './control.tsx'
import { rawAt, type Scene } from './model/edits.ts'
import type { Line } from './model/lines.ts'
import type { Notes } from './model/verdicts.ts'
import { shownValue } from './model/words.ts'

export interface Acts {
  type(line: Line, value: string): void
  raw(line: Line, raw: string): void
  /** Strikes it through: it can be sent again as it was. */
  strike(line: Line): void
  leave(line: Line): void
  restore(line: Line): void
  file(line: Line, file: File): void
  addElement(line: Line): void
  addName(line: Line, name: string): void
  menu(line: Line, button: HTMLElement): void
  focus(line: Line): void
  /** No line has the focus any more. */
  blur(): void
}
interface LedgerProps {
  readonly scene: Scene
  readonly notes: Notes
  readonly rawLines: ReadonlySet<string>
  readonly leftOut: ReadonlyMap<string, string>
  readonly clock: Date
  /** Whether what is wrong, and what is read, is of an earlier text. */
  readonly isOld: boolean
  readonly acts: Acts
  /** Scrolls to a line and focuses it; of a head, on request the first line below it. */
  readonly reach: RefObject<((address: string, isBelow?: boolean) => void) | null>
}
const none: readonly FieldError[] = []
/** So many lines are drawn whole; of more, those that are seen. */
const mostWhole = 120

export function Ledger({ scene, notes, rawLines, leftOut, clock, isOld, acts, reach }: LedgerProps) {
  const { lines } = scene.ledger
  const isLong = lines.length > mostWhole
  const list = useRef<HTMLDivElement>(null)
  const [offset, setOffset] = useState(0)
  useLayoutEffect(() => {
    const top = list.current
      ? list.current.getBoundingClientRect().top + (document.scrollingElement?.scrollTop ?? 0)
      : 0
    if (Math.abs(top - offset) > 1) setOffset(top)
  })
  const virtual = useVirtualizer({
    count: lines.length,
    enabled: isLong,
    getScrollElement: () => document.scrollingElement as HTMLElement,
    observeElementOffset: (_, tell) => {
      const on = () => tell(window.scrollY, false)
      on()
      window.addEventListener('scroll', on, { passive: true })
      return () => window.removeEventListener('scroll', on)
    },
    observeElementRect: (_, tell) => {
      const on = () => tell({ width: window.innerWidth, height: window.innerHeight })
      on()
      window.addEventListener('resize', on)
      return () => window.removeEventListener('resize', on)
    },
    scrollToFn: (to) => window.scrollTo({ top: to }),
    estimateSize: () => 37,
    scrollMargin: offset,
    overscan: 12,
    getItemKey: (index) => lines[index]?.address ?? index,
  })
  reach.current = (address, isBelow = false) => {
    const index = lines.findIndex((one) => one.address === address)
    const isFirst = (one: Line, at: number) => at >= index && !one.isHead && one.address.startsWith(address)
    const wanted = isBelow && lines[index]?.isHead ? lines.findIndex(isFirst) : index
    const line = lines[wanted < 0 ? index : wanted]
    if (!line) return
    if (isLong) virtual.scrollToIndex(lines.indexOf(line), { align: 'center' })
    // A line far away is drawn some frames later.
    const look = (frames: number) => {
      if (!focusOn(line.address) && frames > 0) requestAnimationFrame(() => look(frames - 1))
    }
    requestAnimationFrame(() => look(60))
  }
  const row = (line: Line) => (
    <Row
      key={line.address}
      line={line}
      sent={rawAt(scene.text, line)}
      faults={notes.faults.get(line.address) ?? none}
      reading={notes.readings.get(line.address)}
      isRaw={rawLines.has(line.address)}
      kept={leftOut.get(line.address)}
      clock={clock}
      acts={acts}
    />
  )
  return (
    <div
      className="ledger"
      role="table"
      aria-label="The request, field by field"
      aria-rowcount={lines.length + 1}
      data-old={isOld || undefined}
      onBlur={({ currentTarget, relatedTarget }) => {
        if (!currentTarget.contains(relatedTarget)) acts.blur()
      }}
    >
      <div role="rowgroup" className="ledger-head">
        <div role="row">
          {['address', 'sent', 'read as', 'what is wrong'].map((name) => (
            <div role="columnheader" key={name}>
              {name}
            </div>
          ))}
        </div>
      </div>
      <div
        role="rowgroup"
        ref={list}
        style={isLong ? { height: virtual.getTotalSize(), position: 'relative' } : undefined}
      >
        {isLong
          ? virtual.getVirtualItems().map(({ index, key, start }) => (
              <div
                key={key}
                role="presentation"
                data-index={index}
                ref={virtual.measureElement}
                className="seen"
                style={{ transform: `translateY(${start - offset}px)` }}
              >
                {row(lines[index] as Line)}
              </div>
            ))
          : lines.map(row)}
      </div>
    </div>
  )
}

/** The id of a line's control. */
const idOf = (address: string) => `at-${address}`
const focusOn = (address: string): boolean => {
  const row = document.querySelector(`[data-address="${CSS.escape(address)}"]`)
  const control = row?.querySelector<HTMLElement>(
    '.sent input:not([hidden]):not([type="radio"]:not(:checked)), .sent select, .sent textarea, .sent button',
  )
  control?.focus({ preventScroll: true })
  row?.scrollIntoView({ block: 'center' })
  return row !== null
}

interface RowProps {
  readonly line: Line
  readonly sent: string
  readonly faults: readonly FieldError[]
  readonly reading: Reading | undefined
  readonly isRaw: boolean
  readonly kept: string | undefined
  readonly clock: Date
  readonly acts: Acts
}
const Row = memo(function Row({ line, sent, faults, reading, isRaw, kept, clock, acts }: RowProps) {
  const { address, depth, label, field, isHead, times, part } = line
  const noteId = `note-${address}`
  const isLeft = kept !== undefined && !line.slice
  const need =
    times > 1 && !isHead
      ? `sent ${times} times`
      : field === undefined && depth > 0 && line.element === undefined && part !== 'header'
        ? 'undeclared'
        : ''
  const isSection = depth === 0 && (isHead || part === 'path')
  return (
    <div
      role="row"
      className="line"
      data-address={address}
      data-section={isSection || undefined}
      data-head={isHead || undefined}
      data-faulty={faults.length > 0 || undefined}
      data-absent={!line.slice || undefined}
      data-left={isLeft || undefined}
      onFocus={() => acts.focus(line)}
    >
      <div role="rowheader" className="where" style={{ '--depth': Math.min(depth, 8) } as object} title={address}>
        <span className="name">{label}</span>
        {field?.need === 'optional' && !isSection && <small title="may be left out">?</small>}
        {need !== '' && <small>{need}</small>}
      </div>
      <div role="cell" className="sent">
        {isHead ? (
          <Head line={line} acts={acts} />
        ) : isLeft ? (
          <button
            type="button"
            className="quiet"
            onClick={() => acts.restore(line)}
            aria-label={`send ${address} again`}
          >
            send again
          </button>
        ) : (
          <Control
            sent={sent}
            line={line}
            id={idOf(address)}
            isRaw={isRaw}
            isFaulty={faults.length > 0}
            describedBy={noteId}
            clock={clock}
            onType={(value) => acts.type(line, value)}
            onRaw={(raw) => acts.raw(line, raw)}
            onLeave={() => acts.leave(line)}
            onFile={(file) => acts.file(line, file)}
          />
        )}
        {!isSection && (
          <button
            type="button"
            className="quiet more"
            title="what can be done to this line"
            aria-label={`more for ${address}`}
            aria-haspopup="menu"
            tabIndex={-1}
            onClick={(event) => acts.menu(line, event.currentTarget)}
          >
            ⋮
          </button>
        )}
      </div>
      <div role="cell" className="read">
        {reading && reading.how !== 'dropped' && reading.read !== undefined && <Read reading={reading} />}
        {reading?.how === 'dropped' && <small>dropped</small>}
      </div>
      <div role="cell" className="fault" id={noteId}>
        {faults.map((one) => (
          <p key={`${one.address} ${one.code} ${one.message}`} title={one.code}>
            {one.address === address ? '' : <code>{one.address} </code>}
            {one.message}
          </p>
        ))}
      </div>
    </div>
  )
}, isSameRow)

/** Whether a line looks the same: most do when another one changes. */
function isSameRow(one: RowProps, two: RowProps): boolean {
  const [a, b] = [one.line, two.line]
  return (
    one.sent === two.sent &&
    one.isRaw === two.isRaw &&
    one.kept === two.kept &&
    one.acts === two.acts &&
    one.clock.getTime() === two.clock.getTime() &&
    a.address === b.address &&
    a.field === b.field &&
    a.isHead === b.isHead &&
    a.times === b.times &&
    a.adds === b.adds &&
    (a.slice === undefined) === (b.slice === undefined) &&
    a.element?.of === b.element?.of &&
    a.file?.name === b.file?.name &&
    a.file?.type === b.file?.type &&
    JSON.stringify(one.reading) === JSON.stringify(two.reading) &&
    one.faults.length === two.faults.length &&
    one.faults.every(({ message }, index) => message === two.faults[index]?.message)
  )
}

const spelled = {
  'as is': '',
  tidied: 'tidied',
  'from text': 'from text',
  default: 'by default',
  filled: 'filled',
  dropped: 'dropped',
} as const

function Read({ reading: { sent, read, how } }: { reading: Reading }) {
  const isSame = how === 'as is' && JSON.stringify(sent) === JSON.stringify(read)
  return (
    <>
      <code className={isSame ? 'same' : undefined}>{shownValue(read)}</code>
      {how === 'as is' ? isSame ? <small>as is</small> : null : <small>{spelled[how]}</small>}
    </>
  )
}

function Head({ line, acts }: { line: Line; acts: Acts }) {
  const [isNaming, setNaming] = useState(false)
  const { adds, address, times } = line
  if (isNaming)
    return (
      <form
        className="naming"
        onSubmit={(event) => {
          event.preventDefault()
          const name = String(new FormData(event.currentTarget).get('name')).trim()
          setNaming(false)
          if (name !== '') acts.addName(line, name)
        }}
      >
        <input
          name="name"
          autoFocus
          aria-label={`name to add to ${address}`}
          placeholder="name, then Enter"
          spellCheck={false}
          onKeyDown={(event) => event.key === 'Escape' && setNaming(false)}
          onBlur={() => setNaming(false)}
        />
      </form>
    )
  return (
    <>
      {adds === 'element' && (
        <button
          type="button"
          className="quiet"
          onClick={() => acts.addElement(line)}
          aria-label={`add an element to ${address}`}
        >
          + element
        </button>
      )}
      {adds === 'name' && (
        <button type="button" className="quiet" onClick={() => setNaming(true)} aria-label={`add a name to ${address}`}>
          + name
        </button>
      )}
      {times > 1 && !line.element && <small>{adds === 'element' ? `${times} elements` : `sent ${times} times`}</small>}
    </>
  )
}
