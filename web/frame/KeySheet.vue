<script setup lang="ts">
import { ElDialog } from 'element-plus';
import { shortcuts } from '../keys.ts';

const shown = defineModel<boolean>({ required: true });
</script>

<template>
  <ElDialog v-model="shown" title="Keys and marks" width="560">
    <table>
      <tbody>
        <tr v-for="{ keys, does } in shortcuts" :key="keys">
          <th scope="row">
            <kbd>{{ keys }}</kbd>
          </th>
          <td>{{ does }}</td>
        </tr>
      </tbody>
    </table>
    <p>
      <RouterLink to="/help" @click="shown = false">The guide, all words and marks</RouterLink>
    </p>
    <h3>On the storage map</h3>
    <p>
      A shelf per role, a jar per partition. The jar’s width follows the logarithm of its size, its filling
      the share in use where the file system tells it. A closed lid means that the larder has what lies there;
      an empty lid, that it has an image which nobody has compared since; a lifted lid, that it changed since
      it was kept; no lid, that it was never kept.
    </p>
  </ElDialog>
</template>

<style scoped>
table {
  width: 100%;
  border-collapse: collapse;
}

th {
  width: 11em;
  padding: 5px 0;
  text-align: left;
  font-weight: 400;
}

h3 {
  margin: 14px 0 4px;
  font-size: 14px;
}
</style>
