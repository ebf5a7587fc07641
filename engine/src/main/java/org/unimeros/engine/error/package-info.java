/**
 * The four families of failures, what they are as a value, and the help that their messages give. Uses nothing else of the engine.
 */
package org.unimeros.engine.error;
