/** The night as a picture: what is booked, and the window being edited on it, its edges to be dragged. */
import { type KeyboardEvent, type PointerEvent, useEffect, useRef, useState } from 'react'
import type { Client } from 'yosei/client'
import type app from '../intake.ts'

export type Observatory = Client<(typeof app)['endpoints']>
export interface Window {
  readonly opens: string
  readonly closes: string
}
interface NightProps {
  readonly observatory: Observatory
  readonly telescope: string
  /** The date of its evening. */
  readonly night: string | undefined
  readonly window: Window
  /** Grows when something was booked. */
  readonly changes: number
  readonly onChange: (edge: 'opens' | 'closes', time: Date) => void
}
interface Booked extends Window {
  readonly sessionId: string
  readonly team: string
}
const hour = 3_600_000
const [width, height] = [720, 132]
/** Edges go in steps of five minutes. */
const step = 300_000

export function Night({ observatory, telescope, night, window, changes, onChange }: NightProps) {
  const [booked, setBooked] = useState<readonly Booked[]>([])
  const picture = useRef<SVGSVGElement>(null)
  useEffect(() => {
    let isCurrent = true
    setBooked([])
    observatory.listSessions({ query: { telescope: [telescope], limit: 100 } }).then(
      (answer) => {
        if (!isCurrent || answer.outcome === 'rejected') return
        setBooked(
          answer.value.sessions.flatMap(({ sessionId, team, window: its }) =>
            its ? [{ sessionId, team, opens: its.opens, closes: its.closes }] : [],
          ),
        )
      },
      () => undefined,
    )
    return () => {
      isCurrent = false
    }
  }, [observatory, telescope, changes])
  if (night === undefined) return <section className="night" aria-label="The night" />

  const noon = Date.parse(`${night}T12:00:00Z`)
  const x = (time: string | number) =>
    Math.max(
      0,
      Math.min(width, ((Number(typeof time === 'number' ? time : Date.parse(time)) - noon) / (24 * hour)) * width),
    )
  const timeAt = (event: PointerEvent) => {
    const box = picture.current?.getBoundingClientRect()
    const share = box ? (event.clientX - box.left) / box.width : 0
    return new Date(Math.round((noon + Math.max(0, Math.min(1, share)) * 24 * hour) / step) * step)
  }
  const shown = booked.filter(({ opens, closes }) => Date.parse(closes) > noon && Date.parse(opens) < noon + 24 * hour)
  const overlaps = shown.filter(
    ({ opens, closes }) =>
      Date.parse(opens) < Date.parse(window.closes) && Date.parse(window.opens) < Date.parse(closes),
  )
  const edge = (name: 'opens' | 'closes') => {
    const time = Date.parse(window[name])
    if (Number.isNaN(time)) return null
    const byKey = (event: KeyboardEvent) => {
      const by = { ArrowLeft: -step, ArrowRight: step, PageDown: -hour, PageUp: hour }[event.key]
      if (by === undefined) return
      event.preventDefault()
      onChange(name, new Date(time + by))
    }
    return (
      <g
        role="slider"
        tabIndex={0}
        aria-label={`the window ${name}`}
        aria-valuemin={0}
        aria-valuemax={288}
        aria-valuenow={Math.round((time - noon) / step)}
        aria-valuetext={window[name]}
        className="edge"
        data-edge={name}
        onKeyDown={byKey}
        onPointerDown={(event) => event.currentTarget.setPointerCapture(event.pointerId)}
        onPointerMove={(event) =>
          event.currentTarget.hasPointerCapture(event.pointerId) && onChange(name, timeAt(event))
        }
      >
        <rect x={x(time) - 9} y={26} width={18} height={70} fill="transparent" />
        <path d={`M${x(time)} 26v70`} />
        <circle cx={x(time)} cy={61} r={5} />
      </g>
    )
  }
  const told =
    overlaps.length > 0
      ? `It overlaps with ${overlaps.map(({ sessionId, team }) => `${sessionId} of ${team}`).join(', ')}.`
      : shown.length > 0
        ? `${shown.length} booked in this night.`
        : 'Nothing is booked in this night.'
  return (
    <section className="night" aria-label="The night">
      <h2>
        {telescope}, the night of {night}
      </h2>
      <svg ref={picture} viewBox={`0 0 ${width} ${height}`} role="group" aria-label="From noon to noon, in UTC">
        <defs>
          <linearGradient id="sky">
            {[
              [0, 'day'],
              [0.22, 'day'],
              [0.33, 'dark'],
              [0.67, 'dark'],
              [0.78, 'day'],
              [1, 'day'],
            ].map(([at, name]) => (
              <stop key={at} offset={at} stopColor={`var(--${name})`} />
            ))}
          </linearGradient>
        </defs>
        <rect x={0} y={26} width={width} height={70} fill="url(#sky)" />
        {Array.from({ length: 24 }, (_, index) => (
          <circle
            key={String(index)}
            cx={((index * 137) % 300) + 215}
            cy={32 + ((index * 53) % 58)}
            r={index % 5 === 0 ? 1.2 : 0.7}
            fill="var(--star)"
          />
        ))}
        {[0, 3, 6, 9, 12, 15, 18, 21, 24].map((after) => (
          <g key={after} className="hour">
            <path d={`M${(after / 24) * width} 20v6`} />
            <text x={Math.max(14, Math.min(width - 14, (after / 24) * width))} y={15}>
              {String((12 + after) % 24).padStart(2, '0')}:00
            </text>
          </g>
        ))}
        {shown.map(({ sessionId, team, opens, closes }) => (
          <g key={sessionId} className="booked">
            <rect x={x(opens)} y={66} width={Math.max(2, x(closes) - x(opens))} height={26} />
            <text x={(x(opens) + x(closes)) / 2} y={112}>
              {sessionId}, {team}
            </text>
          </g>
        ))}
        {Date.parse(window.opens) < Date.parse(window.closes) && (
          <rect
            className="window"
            data-overlaps={overlaps.length > 0 || undefined}
            x={x(window.opens)}
            y={32}
            width={Math.max(1, x(window.closes) - x(window.opens))}
            height={30}
          />
        )}
        {edge('opens')}
        {edge('closes')}
      </svg>
      <p aria-live="polite">{told}</p>
    </section>
  )
}
