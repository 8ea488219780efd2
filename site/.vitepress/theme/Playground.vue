<script setup>
import { withBase } from 'vitepress'
import { onBeforeUnmount, onMounted, ref } from 'vue'
import { examples } from './examples.js'
import { pack, unpack } from './fragment.js'

/** Runs only on a click, or if the address brings a declaration. */
const frame = ref()
const isOpen = ref(false)
const chosen = ref(examples[0].name)
let kept = { source: examples[0].source, request: '' }

const tell = (message) => frame.value?.contentWindow?.postMessage(message, '*')

async function hear({ source, data }) {
  if (source !== frame.value?.contentWindow) return
  if (data?.playground === 'ready') tell({ playground: 'open', ...kept })
  if (data?.playground === 'kept' && typeof data.source === 'string' && typeof data.request === 'string') {
    kept = { source: data.source, request: data.request }
    const fragment = await pack(kept)
    history.replaceState(history.state, '', `#try=${fragment}`)
  }
}
function open(name) {
  chosen.value = name
  kept = { source: examples.find((one) => one.name === name).source, request: '' }
  if (isOpen.value) tell({ playground: 'open', ...kept })
  else isOpen.value = true
}

onMounted(async () => {
  addEventListener('message', hear)
  const shared = await unpack(/^#try=(.+)$/.exec(location.hash)?.[1])
  if (!shared) return
  kept = shared
  chosen.value = examples.find(({ source }) => source === shared.source)?.name
  isOpen.value = true
})
onBeforeUnmount(() => removeEventListener('message', hear))
</script>

<template>
  <div class="try-it">
    <p class="examples" role="group" aria-label="Examples">
      <button
        v-for="{ name } in examples"
        :key="name"
        type="button"
        :aria-pressed="isOpen && chosen === name"
        @click="open(name)"
      >
        {{ name }}
      </button>
    </p>
    <button v-if="!isOpen" type="button" class="start" @click="open(chosen)">Try it</button>
    <iframe
      v-else
      ref="frame"
      title="Playground"
      sandbox="allow-scripts"
      :src="withBase('/playground/index.html')"
    ></iframe>
  </div>
</template>
