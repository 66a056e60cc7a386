import { grouped } from '../../core/account.ts';
import type { Finding } from '../../core/findings.ts';
import type { ColumnBuilder } from '../../core/table/column-builder.ts';
import { boundReasons, knownReason, type Mark, MarkList, markSpelling } from '../../core/table/marks.ts';
import { numberFromText } from '../../core/table/number-text.ts';
import type { Field, FieldType } from '../../core/table/schema.ts';
import { ValueReader } from '../../core/table/value-reader.ts';
import { codeName, dressedNumber, fieldOf, ValueSurvey } from '../../core/table/value-survey.ts';
import { type Cell, cellText } from './cell.ts';

/** What is decided for a column: its type, and what travels with the field. */
export type CellReading = Pick<Field, 'type' | 'role' | 'marks' | 'unit'>;

/** Works out the type of a column of typed cells, then reads them. */
export class ColumnOfCells {
  private readonly name: string;
  private readonly own: ReadonlyMap<string, string>;
  private readonly explained: ReadonlyMap<string, string>;
  private numbers = 0;
  private whole = true;
  private booleans = 0;
  private dates = 0;
  private stamps = 0;
  private texts = 0;
  private numberTexts = 0;
  /** Digits that all texts have; 0 before the first, −1 when they differ. */
  private digits = 0;
  private zeroLed = 0;
  private firstText = '';
  private readonly marks = new MarkList();
  private type: FieldType = 'text';
  private decided: readonly Mark[] = [];
  /** Where figures may be written as text: what a column of nothing but texts could hold. */
  private readonly inText: ValueSurvey | null;
  private reader: ValueReader | null = null;

  constructor(
    name: string,
    own: ReadonlyMap<string, string>,
    explained: ReadonlyMap<string, string>,
    numbersInText = false,
  ) {
    this.name = name;
    this.own = own;
    this.explained = explained;
    this.inText = numbersInText ? new ValueSurvey(own) : null;
  }

  get empty(): boolean {
    return (
      this.numbers + this.booleans + this.dates + this.stamps + this.texts + this.numberTexts === 0 &&
      this.marks.list.length === 0
    );
  }

  see(cell: Cell): void {
    if (cell === null) return;
    switch (typeof cell) {
      case 'number': {
        const own = this.own.size > 0 ? this.own.get(String(cell)) : undefined;
        const reason = own ?? (cell < -1e8 ? knownReason(String(cell)) : undefined);
        if (reason !== undefined && this.marks.number(String(cell), reason) > 0) return;
        this.numbers++;
        if (!Number.isSafeInteger(cell)) this.whole = false;
        return;
      }
      case 'boolean':
        this.booleans++;
        return;
      case 'string':
        this.seeText(cell.trim());
        return;
      default:
        if ('days' in cell) this.dates++;
        else this.stamps++;
    }
  }

  private seeText(text: string): void {
    if (text === '') return;
    this.inText?.seeText(text);
    const reason = this.own.get(markSpelling(text)) ?? knownReason(text);
    if (reason !== undefined && this.marks.number(text, reason) > 0) return;
    if (/^0\d+$/.test(text)) this.zeroLed++;
    if (/^\d+$/.test(text)) this.digits = this.digits === 0 || this.digits === text.length ? text.length : -1;
    const dressed = text.length > 40 ? null : dressedNumber(text);
    if (dressed !== null) {
      if (dressed.reason !== null && this.marks.number(text, dressed.reason) > 0) return;
      this.numberTexts++;
    } else if (/^\d+$/.test(text)) this.numberTexts++;
    else {
      this.texts++;
      if (this.firstText === '') this.firstText = text;
    }
  }

  decide(
    say: (code: string, severity: Finding['severity'], words: string, repair?: string) => void,
  ): CellReading {
    const { numbers, booleans, dates, stamps, texts, numberTexts } = this;
    const kinds = [numbers, booleans, dates, stamps, texts + numberTexts].filter((n) => n > 0).length;
    if (kinds === 1 && texts + numberTexts === 0) {
      this.type =
        numbers > 0
          ? this.whole
            ? 'integer'
            : 'real'
          : booleans > 0
            ? 'boolean'
            : dates > 0
              ? 'date'
              : 'timestamp';
    } else if (kinds === 2 && dates > 0 && stamps > 0) this.type = 'timestamp';
    else this.type = 'text';
    if (this.inText !== null && numbers + booleans + dates + stamps === 0) {
      const { reading } = this.inText.reading(false, this.name);
      this.reader = new ValueReader(reading);
      const { name: _, ...rest } = fieldOf(this.name, reading);
      return rest;
    }
    if (this.type === 'text') {
      const code = this.zeroLed > 0 && texts === 0;
      if (numberTexts > 0 && texts === 0 && !code && numbers === 0)
        say(
          'numbers-as-text',
          'note',
          `${this.name} holds numbers written as text, so it stays text.`,
          // Digits of one width are codes, whatever the column is called: nobody computes with them.
          this.digits > 2 || codeName.test(this.name)
            ? undefined
            : `compute a field with number(${this.name})`,
        );
      else if (numbers > 0 && texts + numberTexts > 0)
        say(
          'numbers-and-text',
          'warning',
          `${this.name} holds ${grouped(numbers)} numbers and ${grouped(texts + numberTexts)} texts${this.firstText === '' ? '' : ` (“${this.firstText.slice(0, 40)}”)`}, so it is read as text.`,
          this.firstText === ''
            ? undefined
            : `--marks "${this.firstText.slice(0, 40)} = missing", if that is what it stands for`,
        );
      return code ? { type: 'text', role: 'code' } : { type: 'text' };
    }
    if (this.marks.list.length === 0) return { type: this.type };
    this.decided = this.marks.list.map((mark) => ({
      text: mark.text,
      reason: this.own.get(mark.text) ?? this.explained.get(mark.text) ?? mark.reason,
    }));
    return { type: this.type, marks: this.decided };
  }

  put(builder: ColumnBuilder, cell: Cell): void {
    if (cell === null || cell === '') {
      builder.null();
      return;
    }
    if (this.reader !== null) {
      this.reader.putText(builder, String(cell));
      return;
    }
    if (builder.type === 'text') {
      builder.text(cellText(cell));
      return;
    }
    if (typeof cell === 'string' || (typeof cell === 'number' && this.decided.length > 0)) {
      const text = String(cell).trim();
      const number = this.marks.get(text);
      if (number > 0) {
        const bound = boundReasons.has(this.decided[number - 1].reason) ? dressedNumber(text) : null;
        if (bound === null) builder.null();
        else builder.number(numberFromText(bound.number));
        builder.mark(number);
        return;
      }
    }
    switch (typeof cell) {
      case 'number':
        builder.number(cell);
        return;
      case 'boolean':
        builder.number(cell ? 1 : 0);
        return;
      case 'object':
        if ('milliseconds' in cell) builder.number(cell.milliseconds);
        else builder.number(builder.type === 'timestamp' ? cell.days * 86_400_000 : cell.days);
        return;
      default:
        builder.null();
    }
  }
}
