package org.unimeros.insight.chart;

import java.util.List;
import java.util.stream.IntStream;

/** A drawing made of characters: of two by four dots each, or of one where only plain characters can be used. */
final class DotCanvas {

    private static final char NO_DOTS = '\u2800';
    /** The bits of the dots in a character of Braille, by row and column. */
    private static final int[][] BITS = {{0x01, 0x08}, {0x02, 0x10}, {0x04, 0x20}, {0x40, 0x80}};

    private final int columns;
    private final int rows;
    private final boolean isPlain;
    private final int[] cells;

    DotCanvas(int columns, int rows, boolean isPlain) {
        this.columns = columns;
        this.rows = rows;
        this.isPlain = isPlain;
        this.cells = new int[columns * rows];
    }

    /** Dots from left to right. */
    int width() {
        return isPlain ? columns : columns * 2;
    }

    /** Dots from top to bottom. */
    int height() {
        return isPlain ? rows : rows * 4;
    }

    private void dot(int x, int y) {
        if (isPlain) {
            cells[y * columns + x] = 1;
        } else {
            cells[y / 4 * columns + x / 2] |= BITS[y % 4][x % 2];
        }
    }

    /** The dots between two, with both (J. E. Bresenham, Algorithm for computer control of a digital plotter, 1965). */
    void line(int fromX, int fromY, int toX, int toY) {
        int width = Math.abs(toX - fromX);
        int height = -Math.abs(toY - fromY);
        int stepX = Integer.compare(toX, fromX);
        int stepY = Integer.compare(toY, fromY);
        int x = fromX;
        int y = fromY;
        int error = width + height;
        dot(x, y);
        while (x != toX || y != toY) {
            int twice = 2 * error;
            if (twice >= height) {
                error += height;
                x += stepX;
            }
            if (twice <= width) {
                error += width;
                y += stepY;
            }
            dot(x, y);
        }
    }

    List<String> print() {
        return IntStream.range(0, rows)
                .mapToObj(row -> {
                    StringBuilder line = new StringBuilder();
                    for (int c = 0; c < columns; c++) {
                        int cell = cells[row * columns + c];
                        line.append(cell == 0 ? ' ' : isPlain ? '*' : (char) (NO_DOTS + cell));
                    }
                    return line.toString();
                })
                .toList();
    }
}
