<script setup lang="ts">
import { ElInput } from 'element-plus';
import { computed, onMounted, ref } from 'vue';
import { useRoute } from 'vue-router';
import { roleNames, roles } from '@keen-larder/core/phone/roles.ts';
import formats from '../../../docs/formats.md?raw';
import glossary from '../../../docs/glossary.md?raw';
import guide from '../../../docs/user-guide.md?raw';
import { shortcuts } from '../../keys.ts';
import RoleBadge from '../../parts/roles/RoleBadge.vue';
import { useSession } from '../../state/session.ts';
import { blocksOf, found } from './guide.ts';

/** The user guide, the words, the keys and the marks, to be searched. */
const session = useSession();
const route = useRoute();
onMounted(() => {
  if (route.hash) document.getElementById(route.hash.slice(1))?.scrollIntoView();
});
const words = ref('');
const blocks = [...blocksOf(guide), ...blocksOf(formats)];
/** Rows of the glossary: the word, and what it means. */
const terms = glossary
  .split('\n')
  .filter((line) => /^\| [a-z]/.test(line) && !/^\| word /.test(line))
  .map((line) => {
    const [, word = '', meaning = ''] = line.split('|').map((cell) => cell.trim());
    return { word, meaning, text: `${word} ${meaning}`.toLowerCase() };
  });
const keys = shortcuts.map((each) => ({ ...each, text: `${each.keys} ${each.does}`.toLowerCase() }));
const marks = roles.map((role) => ({ role, ...roleNames[role], text: roleNames[role].name.toLowerCase() }));
const lids = [
  ['closed', 'the larder has what lies there'],
  ['empty', 'the larder has an image that was not compared since'],
  ['lifted', 'changed since it was kept'],
  ['none', 'never kept'],
].map(([lid, meaning]) => ({
  lid: lid!,
  meaning: meaning!,
  text: `lid jar ${lid} ${meaning}`.toLowerCase(),
}));

const shown = computed(() => ({
  blocks: found(blocks, words.value),
  terms: found(terms, words.value),
  keys: found(keys, words.value),
  marks: found(marks, words.value),
  lids: found(lids, words.value),
}));
const count = computed(() => Object.values(shown.value).reduce((sum, list) => sum + list.length, 0));
/** Where the guide goes on to another part. */
const beginsPart = (i: number) => shown.value.blocks[i]!.heading !== shown.value.blocks[i - 1]?.heading;
</script>

<template>
  <article class="page help">
    <header>
      <h1>Help</h1>
      <ElInput
        v-model="words"
        data-filter
        clearable
        placeholder="Search the guide, the words, the keys"
        aria-label="Search the help"
        class="words"
      />
    </header>
    <nav v-if="words.trim() === ''" aria-label="Parts of the help">
      <a href="#help-keys">Keys</a> · <a href="#help-marks">Marks</a> · <a href="#help-words">Words</a> ·
      <a href="#help-guide">Guide</a> · <a href="#help-about">About</a>
    </nav>
    <p v-if="count === 0" role="status">
      Nothing here has “{{ words }}”. Try one word, such as “seal” or “recovery”.
    </p>
    <section v-if="shown.keys.length" aria-labelledby="help-keys">
      <h2 id="help-keys">Keys</h2>
      <dl>
        <template v-for="each in shown.keys" :key="each.keys">
          <dt>
            <kbd>{{ each.keys }}</kbd>
          </dt>
          <dd>{{ each.does }}</dd>
        </template>
      </dl>
    </section>
    <section v-if="shown.marks.length || shown.lids.length" aria-labelledby="help-marks">
      <h2 id="help-marks">Marks</h2>
      <dl>
        <template v-for="each in shown.marks" :key="each.role">
          <dt><RoleBadge :role="each.role" /></dt>
          <dd>{{ each.name }}</dd>
        </template>
        <template v-for="each in shown.lids" :key="each.lid">
          <dt>Lid {{ each.lid }}</dt>
          <dd>{{ each.meaning }}</dd>
        </template>
      </dl>
    </section>
    <section v-if="shown.terms.length" aria-labelledby="help-words">
      <h2 id="help-words">Words</h2>
      <dl>
        <template v-for="each in shown.terms" :key="each.word">
          <dt>{{ each.word }}</dt>
          <dd>{{ each.meaning }}</dd>
        </template>
      </dl>
    </section>
    <section v-if="shown.blocks.length" id="help-guide" aria-label="Guide">
      <template v-for="(block, i) in shown.blocks" :key="block.text">
        <h2 v-if="beginsPart(i)">{{ block.heading }}</h2>
        <!-- eslint-disable-next-line vue/no-v-html -- of our own guide, made when the interface is built -->
        <div class="block" v-html="block.html" />
      </template>
    </section>
    <section v-if="words.trim() === ''" aria-labelledby="help-about">
      <h2 id="help-about">About</h2>
      <p>
        Keen Larder {{ session.about.version }}, on Node {{ session.about.node }}. The catalogue is of version
        {{ session.about.catalogue }} and the shelf of version {{ session.about.shelf }}, as this program
        writes them. A home folder that a newer program wrote is refused at the start and left as it is; an
        older catalogue is brought up to date then, after a copy of it was put on the shelf.
      </p>
    </section>
  </article>
</template>

<style scoped>
header {
  display: flex;
  flex-wrap: wrap;
  gap: 8px 14px;
  align-items: center;
}

.words {
  width: min(360px, 100%);
}

section {
  max-width: 78ch;
}

h2 {
  margin: 14px 0 6px;
  font-size: 17px;
}

dl {
  display: grid;
  grid-template-columns: minmax(110px, max-content) minmax(0, 1fr);
  gap: 5px 16px;
}

dt {
  font-weight: 600;
}

.block :deep(td),
.block :deep(th) {
  padding: 3px 10px 3px 0;
  text-align: left;
  vertical-align: top;
  overflow-wrap: normal;
}

.block :deep(td:first-child) {
  min-width: 12ch;
}

.block {
  margin-bottom: 10px;
  line-height: 1.5;
  overflow-wrap: anywhere;
}
</style>
