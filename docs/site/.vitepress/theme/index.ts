import DefaultTheme from 'vitepress/theme';
import './wide.css';

export default DefaultTheme;
