import "@fontsource-variable/inter/wght.css";
import "@fontsource-variable/jetbrains-mono/wght.css";
import "@fontsource-variable/source-serif-4/wght.css";
import "element-plus/theme-chalk/base.css";
import "element-plus/theme-chalk/el-autocomplete.css";
import "element-plus/theme-chalk/el-input.css";
import "element-plus/theme-chalk/el-message.css";
import "element-plus/theme-chalk/el-option.css";
import "element-plus/theme-chalk/el-option-group.css";
import "element-plus/theme-chalk/el-popover.css";
import "element-plus/theme-chalk/el-popper.css";
import "element-plus/theme-chalk/el-scrollbar.css";
import "element-plus/theme-chalk/el-select-v2.css";
import "element-plus/theme-chalk/el-tag.css";
import "element-plus/theme-chalk/el-virtual-list.css";
import "@/theme/tokens.css";
import "@/theme/base.css";

import { createPinia } from "pinia";
import { createApp } from "vue";
import App from "@/app/App.vue";
import { router } from "@/app/router";

createApp(App).use(createPinia()).use(router).mount("#app");
