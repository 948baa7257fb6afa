<template>
  <div class="page">
    <p class="empty">This page does not exist. <RouterLink to="/plan">Go to the plan</RouterLink>.</p>
  </div>
</template>
