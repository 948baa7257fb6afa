import "@fontsource-variable/noto-sans-jp/wght.css";
