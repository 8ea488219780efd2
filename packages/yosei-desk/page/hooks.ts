/** What the page listens to. */
import { type RefObject, useEffect, useRef } from 'react'
import type { Bench } from '../src/terms.ts'

/** Listens to the whole window, always with what was given last. */
export function useWindow<T extends 'keydown' | 'paste' | 'hashchange'>(
  type: T,
  listen: (event: WindowEventMap[T]) => void,
): void {
  const latest = useRef(listen)
  latest.current = listen
  useEffect(() => {
    const on = (event: WindowEventMap[T]) => latest.current(event)
    window.addEventListener(type, on)
    return () => window.removeEventListener(type, on)
  }, [type])
}

/** How long to wait where nothing answers, in milliseconds. */
const pause = 2000

/** Calls back with each revision of what lies on disk. */
export function useRevisions(bench: Bench, first: number, changed: (revision: number) => Promise<void>): void {
  const latest = useRef(changed)
  latest.current = changed
  useEffect(() => {
    const { changed: wait } = bench
    if (!wait) return
    let isOver = false
    let known = first
    const follow = async () => {
      while (!isOver) {
        try {
          const now = await wait(known)
          if (isOver) return
          if (now !== known) await latest.current(now)
          known = now
        } catch {
          await new Promise((wake) => setTimeout(wake, pause))
        }
      }
    }
    follow()
    return () => {
      isOver = true
    }
  }, [bench, first])
}

/** Keeps the height of an element in a property of the document's style. */
export function useHeight(element: RefObject<HTMLElement | null>, property: string): void {
  useEffect(() => {
    const { current } = element
    if (!current) return
    const observer = new ResizeObserver(() =>
      document.documentElement.style.setProperty(property, `${current.offsetHeight}px`),
    )
    observer.observe(current)
    return () => observer.disconnect()
  }, [element, property])
}
