<script setup lang="ts">
import { CircleAlert, CircleX, Info } from 'lucide-vue-next';
import { computed } from 'vue';
import type { RouteLocationRaw } from 'vue-router';
import { aboutText, sizeText } from '@keen-larder/core/bytes/units.ts';
import type { NeedPlace, Urgency } from '@keen-larder/core/phone/needs.ts';
import ProgressLine from '../../parts/ProgressLine.vue';
import { runStates } from '../../parts/run-words.ts';
import TimeText from '../../parts/TimeText.vue';
import { useBench } from '../../state/bench.ts';
import { useJobs } from '../../state/jobs.ts';
import { useLarder } from '../../state/larder.ts';
import { copyPlaces, useOffsite } from '../../state/larder/offsite.ts';
import { useNeeds } from '../../state/needs.ts';
import { useRuns } from '../../state/runs.ts';

/** The bench at a glance: what needs hands, what goes on, and how what is kept stands. */
const bench = useBench();
const larder = useLarder();
const offsite = useOffsite();
const needs = useNeeds();
const jobs = useJobs();
const runs = useRuns();
void needs.load();

const urgencies: Readonly<Record<Urgency, { readonly icon: typeof Info; readonly name: string }>> = {
  now: { icon: CircleX, name: 'at once' },
  soon: { icon: CircleAlert, name: 'today' },
  later: { icon: Info, name: 'when there is time' },
};

function linkTo(place: NeedPlace): RouteLocationRaw {
  switch (place.is) {
    case 'phone':
      return { name: 'bench', params: { serial: place.serial } };
    case 'rescue':
      return { name: 'rescue', params: { serial: place.serial } };
    case 'run':
      return { name: 'runs', params: { id: place.id } };
    case 'set':
      return { name: 'set', params: { id: place.id } };
    case 'off-site':
      return { name: 'offsite' };
    default:
      return { name: place.is };
  }
}

const lately = computed(() => runs.list.filter(({ endedAt }) => endedAt !== undefined).slice(0, 5));
const usedShare = computed(() => {
  const { shelf } = larder;
  return shelf && shelf.totalBytes > 0 ? 1 - shelf.freeBytes / shelf.totalBytes : 0;
});
const unverified = computed(
  () => larder.ofPhones.filter(({ verifiedAt }) => verifiedAt === undefined).length,
);
const count = (n: number, one: string, many: string) => `${n} ${n === 1 ? one : many}`;
</script>

<template>
  <article class="page">
    <header>
      <h1>Bench</h1>
      <p class="soft">
        {{ count(bench.present.length, 'phone', 'phones') }} here,
        {{ count(runs.live.length, 'run', 'runs') }} under way
      </p>
    </header>
    <section aria-labelledby="needs">
      <h2 id="needs">What needs hands</h2>
      <p v-if="needs.list === undefined" class="soft">Looking…</p>
      <p v-else-if="needs.list.length === 0">
        Nothing now. Every phone here is kept, and every run came out well.
      </p>
      <ul v-else class="needs">
        <li v-for="need in needs.list" :key="need.id" :class="need.urgency" :data-need="need.id">
          <component
            :is="urgencies[need.urgency].icon"
            :size="18"
            role="img"
            :aria-label="urgencies[need.urgency].name"
          />
          <div>
            <strong>{{ need.title }}</strong>
            <p>{{ need.sentence }}</p>
          </div>
          <RouterLink :to="linkTo(need.place)" class="el-button el-button--small">{{
            need.action
          }}</RouterLink>
        </li>
      </ul>
    </section>
    <section v-if="runs.live.length" aria-labelledby="live">
      <h2 id="live">Under way</h2>
      <ul class="runs">
        <li v-for="run in runs.live" :key="run.id">
          <RouterLink :to="{ name: 'runs', params: { id: run.id } }">{{ run.title }}</RouterLink>
          <span class="soft">{{ run.nickname }}</span>
          <ProgressLine :done="run.doneBytes" :whole="run.bytes" :name="run.title" />
          <span class="soft">{{
            run.leftMs !== undefined && run.state === 'running'
              ? `${aboutText(run.leftMs)} left`
              : runStates[run.state]
          }}</span>
        </li>
      </ul>
    </section>
    <div class="columns">
      <section aria-labelledby="kept">
        <h2 id="kept">What is kept</h2>
        <dl v-if="larder.shelf">
          <div>
            <dt><RouterLink to="/larder">Sets</RouterLink></dt>
            <dd>
              {{ larder.ofPhones.length
              }}<span v-if="unverified" class="soft"
                >, {{ unverified }} not verified since they were taken</span
              >
            </dd>
          </div>
          <div>
            <dt><RouterLink to="/larder/order">Room</RouterLink></dt>
            <dd>
              {{ sizeText(larder.shelf.storedBytes) }} on “{{ larder.shelf.name }}”,
              {{ sizeText(larder.shelf.freeBytes) }} free
              <meter :value="usedShare" min="0" max="1" high="0.9" aria-label="Of the disk in use"></meter>
            </dd>
          </div>
          <div>
            <dt><RouterLink to="/larder/off-site">Off-site</RouterLink></dt>
            <dd v-if="!offsite.inUse.length">no second copy is set up</dd>
            <dd v-for="view in offsite.inUse" :key="view.copy">
              {{ view.offsiteCount }} of {{ view.keptCount }} sets and copies {{ copyPlaces[view.copy]
              }}<template v-if="view.state === 'locked'">, locked</template
              ><template v-else-if="view.isAway">, which is away</template>
            </dd>
          </div>
          <div v-if="larder.firmware.length">
            <dt><RouterLink to="/larder/firmware">Firmware</RouterLink></dt>
            <dd>{{ larder.firmware.length }}</dd>
          </div>
        </dl>
      </section>
      <section v-if="jobs.open.length" aria-labelledby="cards">
        <h2 id="cards">Open job cards</h2>
        <ul class="lately">
          <li v-for="job in jobs.open" :key="job.id">
            <RouterLink :to="{ name: 'jobs', params: { id: job.id } }"
              >{{ job.number }} · {{ job.who }}</RouterLink
            >
            <span class="soft">
              {{ job.stage }} · {{ job.phones.map(({ nickname }) => nickname).join(', ') }} · since
              <TimeText :at="job.openedAt" />
            </span>
          </li>
        </ul>
      </section>
      <section v-if="lately.length" aria-labelledby="lately">
        <h2 id="lately">Lately</h2>
        <ul class="lately">
          <li v-for="run in lately" :key="run.id">
            <RouterLink :to="{ name: 'runs', params: { id: run.id } }">{{ run.title }}</RouterLink>
            <span class="soft">
              {{ runStates[run.state] }}<template v-if="run.nickname"> · {{ run.nickname }}</template> ·
              <TimeText :at="run.endedAt!" />
            </span>
          </li>
        </ul>
      </section>
    </div>
    <p v-if="bench.present.length === 0">
      No phone is here now. It shows by itself as soon as it answers:
      <RouterLink to="/connections">how to connect one</RouterLink>.
    </p>
  </article>
</template>

<style scoped>
header {
  display: flex;
  flex-wrap: wrap;
  align-items: baseline;
  gap: 2px 14px;
}

section {
  display: grid;
  align-content: start;
  gap: 8px;
  min-width: 0;
}

h2 {
  font-size: 16px;
}

ul,
dl {
  display: grid;
  gap: 6px;
}

.needs li {
  display: grid;
  grid-template-columns: auto minmax(0, 1fr) auto;
  align-items: center;
  gap: 12px;
  padding: 8px 12px;
  border: 1px solid var(--rule);
  border-left: 4px solid var(--slate);
  border-radius: 3px;
  background: var(--card);
}

.needs svg {
  color: var(--slate);
}

.needs p {
  font-size: 13px;
}

.needs a {
  text-decoration: none;
}

.needs .now {
  border-left-color: var(--beetroot);
}

.now svg {
  color: var(--beetroot);
}

.needs .soon {
  border-left-color: var(--quince);
}

.soon svg {
  color: var(--quince);
}

.runs li {
  display: grid;
  grid-template-columns: minmax(0, 2fr) minmax(0, 1fr) minmax(80px, 1fr) auto;
  align-items: center;
  gap: 12px;
  font-size: 13.5px;
}

.columns {
  display: grid;
  grid-template-columns: repeat(auto-fit, minmax(260px, 1fr));
  gap: 18px 28px;
}

dl div {
  display: grid;
  grid-template-columns: 84px minmax(0, 1fr);
  align-items: baseline;
  gap: 10px;
  padding-bottom: 6px;
  border-bottom: 1px solid var(--rule);
  font-size: 13.5px;
}

meter {
  display: block;
  width: 100%;
  height: 8px;
  margin-top: 4px;
}

.lately li {
  display: grid;
  padding-bottom: 6px;
  border-bottom: 1px solid var(--rule);
  font-size: 13.5px;
}

.lately span {
  font-size: 12.5px;
}
</style>
