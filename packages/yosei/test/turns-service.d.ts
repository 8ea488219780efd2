import type { TurnStore } from 'yosei'

export function makeService(options: {
  turns: TurnStore
  room: { read(): Promise<number>; write(left: number): unknown }
  pause?: number
}): (request: Request) => Promise<Response>
