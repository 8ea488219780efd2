import react from '@vitejs/plugin-react'
import { defineConfig } from 'vite'
import yosei from 'yosei/vite'

export default defineConfig({
  root: import.meta.dirname,
  plugins: [react(), yosei()],
  logLevel: 'warn',
  build: { target: 'es2022' },
})
