<template>
  <div class="p-4">
    <h1 class="text-title font-semibold">Page not found</h1>
    <p class="mt-2"><RouterLink to="/overview">Go to the overview</RouterLink></p>
  </div>
</template>
