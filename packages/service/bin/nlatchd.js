#!/usr/bin/env node
import '../dist/host/main.js';
