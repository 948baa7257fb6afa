<template>
  <div class="page">
    <p class="empty">There is no such screen. <RouterLink to="/plan">Go to the plan</RouterLink>.</p>
  </div>
</template>
