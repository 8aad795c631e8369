<template>
  <div class="p-4">
    <h1 class="text-title font-semibold">There is no such page</h1>
    <p class="mt-2"><RouterLink to="/overview">Go to the overview</RouterLink></p>
  </div>
</template>
