import react from '@vitejs/plugin-react'
import { defineConfig } from 'vite'

export default defineConfig({
  root: import.meta.dirname,
  base: './',
  plugins: [react()],
  logLevel: 'warn',
  build: { outDir: '../dist/page', emptyOutDir: true, chunkSizeWarningLimit: 1500, reportCompressedSize: false },
})
