/* Looking at everything in one folder at once, for systems that open folders by descriptor.
 *
 * This does what `scan_folder.scan_folder_plainly` does, without making an object for every file. Nuvik works without it: it is
 * built where a C compiler is at hand when Nuvik is installed (see hatch_build.py).
 */

#define Py_LIMITED_API 0x030B0000
#define PY_SSIZE_T_CLEAN
#include <Python.h>

#include <dirent.h>
#include <errno.h>
#include <fcntl.h>
#include <stdint.h>
#include <stdlib.h>
#include <string.h>
#include <sys/stat.h>
#include <unistd.h>

#define ENDINGS 64        /* as many different endings are told apart in one folder */
#define ENDING_LENGTH 12  /* with its dot */

typedef struct {
    char *text; /* names one after the other, each with its terminating zero */
    size_t text_used, text_room;
    int64_t *rows; /* two numbers for each name */
    size_t count, rows_room;
} Names;

typedef struct {
    char ending[ENDING_LENGTH + 1];
    int64_t bytes;
} Ending;

enum { FILES, BYTES, BLOCKS, LARGEST, CHANGED, READ, COLD, PROGRAMS, ENTRIES, HOLES, SUMS };

typedef struct {
    int64_t cold_before, big_bytes;
    Names folders, odd, big, failed;
    int64_t sums[SUMS];
    char *largest;
    int64_t *classes; /* of every plain file, sorted at the end */
    size_t classes_count, classes_room;
    Ending endings[ENDINGS + 1]; /* the first stands for none, and for those beyond the limit */
    int endings_count;
} FolderScan;

static void *grown(void *memory, size_t *room, size_t wanted, size_t each) {
    size_t next = *room ? *room : 64;
    void *larger;
    if (wanted <= *room) return memory;
    while (next < wanted) next *= 2;
    larger = realloc(memory, next * each);
    if (larger != NULL) *room = next;
    return larger;
}

/* Append a name with two numbers; 0 when memory is short. */
static int note(Names *names, const char *name, int64_t first, int64_t second) {
    size_t length = strlen(name) + 1;
    void *larger = grown(names->text, &names->text_room, names->text_used + length, 1);
    if (larger == NULL) return 0;
    names->text = larger;
    larger = grown(names->rows, &names->rows_room, (names->count + 1) * 2, sizeof(int64_t));
    if (larger == NULL) return 0;
    names->rows = larger;
    memcpy(names->text + names->text_used, name, length);
    names->text_used += length;
    names->rows[names->count * 2] = first;
    names->rows[names->count * 2 + 1] = second;
    names->count++;
    return 1;
}

/* As model/extent.py says. */
static int64_t size_class(int64_t size) {
    int64_t units = (size + 511) / 512;
    int shift = 0;
    while ((units >> shift) >= 512) shift++;
    return units > 512 ? ((units + (((int64_t)1 << shift) - 1)) >> shift) << shift : units;
}

static void add_ending(FolderScan *scan, const char *name, int64_t size) {
    const char *dot = strrchr(name, '.');
    char ending[ENDING_LENGTH + 1] = "";
    int place;
    if (dot != NULL && dot != name && dot[1] != 0 && strlen(dot) <= ENDING_LENGTH) {
        for (place = 0; dot[place] != 0; place++) {
            char letter = dot[place];
            ending[place] = letter >= 'A' && letter <= 'Z' ? (char)(letter + 32) : letter;
        }
        ending[place] = 0;
    }
    for (place = 0; place < scan->endings_count; place++) {
        if (strcmp(scan->endings[place].ending, ending) == 0) break;
    }
    if (place == scan->endings_count) {
        if (place > ENDINGS) {
            place = 0;
        } else {
            memcpy(scan->endings[place].ending, ending, sizeof ending);
            scan->endings_count++;
        }
    }
    scan->endings[place].bytes += size;
}

/* Add a file of one name; 0 when memory is short. */
static int add_file(FolderScan *scan, const char *name, const struct stat *facts) {
    int64_t size = facts->st_size, held = (int64_t)facts->st_blocks * 512, *sums = scan->sums;
    int64_t changed = (int64_t)facts->st_mtime, read = (int64_t)facts->st_atime;
    void *larger = grown(scan->classes, &scan->classes_room, scan->classes_count + 1, sizeof(int64_t));
    if (larger == NULL) return 0;
    scan->classes = larger;
    scan->classes[scan->classes_count++] = size_class(size);
    sums[FILES]++;
    sums[BYTES] += size;
    if (held < size) sums[HOLES] += size - held;
    if (changed > sums[CHANGED]) sums[CHANGED] = changed;
    if (read > sums[READ]) sums[READ] = read;
    if (changed < scan->cold_before && read < scan->cold_before) sums[COLD] += size;
    if (facts->st_mode & 0111) sums[PROGRAMS]++;
    if (size > sums[LARGEST]) {
        char *copy = strdup(name);
        if (copy == NULL) return 0;
        free(scan->largest);
        scan->largest = copy;
        sums[LARGEST] = size;
    }
    add_ending(scan, name, size);
    return size < scan->big_bytes || note(&scan->big, name, size, changed);
}

/* Look at one name; 0 when memory is short. */
static int look_at(FolderScan *scan, int descriptor, const struct dirent *entry) {
    struct stat facts;
    const char *name = entry->d_name;
    scan->sums[ENTRIES]++;
    if (entry->d_type == DT_DIR) return note(&scan->folders, name, 0, 0);
    if (fstatat(descriptor, name, &facts, AT_SYMLINK_NOFOLLOW) != 0) {
        return errno == ENOENT || note(&scan->failed, name, errno, 0); /* what vanished meanwhile is no problem */
    }
    if (S_ISDIR(facts.st_mode)) return note(&scan->folders, name, 0, 0);
    if (S_ISREG(facts.st_mode) && facts.st_nlink > 1) {
        return note(&scan->odd, name, (int64_t)facts.st_mode, 0);
    }
    scan->sums[BLOCKS] += (int64_t)facts.st_blocks;
    if (S_ISREG(facts.st_mode)) return add_file(scan, name, &facts);
    return note(&scan->odd, name, (int64_t)facts.st_mode, 0);
}

/* Read the folder; 0 or the error's number. */
static int read_folder(FolderScan *scan, int descriptor) {
    struct dirent *entry;
    DIR *stream;
    int copy = fcntl(descriptor, F_DUPFD_CLOEXEC, 0), problem; /* the caller goes on using its own */
    if (copy < 0) return errno;
    stream = fdopendir(copy);
    if (stream == NULL) {
        problem = errno;
        close(copy);
        return problem;
    }
    for (problem = 0; problem == 0;) {
        errno = 0;
        entry = readdir(stream);
        if (entry == NULL) {
            problem = errno;
            break;
        }
        if (strcmp(entry->d_name, ".") == 0 || strcmp(entry->d_name, "..") == 0) continue;
        if (!look_at(scan, descriptor, entry)) problem = ENOMEM;
    }
    rewinddir(stream); /* both descriptors share one place in the folder */
    closedir(stream);
    return problem;
}

/* -- the answer ---------------------------------------------------------------------------------------------- */

/* What is said of a name, by its two numbers; takes over the reference to the name. NULL with an error set. */
typedef PyObject *(*Saying)(PyObject *name, int64_t first, int64_t second);

static PyObject *name_alone(PyObject *name, int64_t first, int64_t second) {
    (void)first, (void)second;
    return name;
}

static PyObject *with_mode(PyObject *name, int64_t mode, int64_t none) {
    (void)none;
    return Py_BuildValue("NL", name, (long long)mode);
}

static PyObject *with_size_and_time(PyObject *name, int64_t size, int64_t changed) {
    return Py_BuildValue("NLL", name, (long long)size, (long long)changed);
}

static PyObject *with_fault(PyObject *name, int64_t number, int64_t none) {
    (void)none;
    return Py_BuildValue("NN", name, PyObject_CallFunction(PyExc_OSError, "is", (int)number, strerror((int)number)));
}

static PyObject *list_of(const Names *names, Saying saying) {
    PyObject *list = PyList_New((Py_ssize_t)names->count), *item;
    const char *text = names->text;
    size_t number;
    for (number = 0; list != NULL && number < names->count; number++) {
        item = PyUnicode_DecodeFSDefault(text);
        if (item != NULL) item = saying(item, names->rows[number * 2], names->rows[number * 2 + 1]);
        if (item == NULL || PyList_SetItem(list, (Py_ssize_t)number, item) != 0) {
            Py_DECREF(list);
            return NULL;
        }
        text += strlen(text) + 1;
    }
    return list;
}

static int by_value(const void *first, const void *second) {
    int64_t left = *(const int64_t *)first, right = *(const int64_t *)second;
    return (left > right) - (left < right);
}

static PyObject *add_to(PyObject *sums, PyObject *key, int64_t count) {
    PyObject *number = key == NULL ? NULL : PyLong_FromLongLong(count);
    if (number != NULL && PyDict_SetItem(sums, key, number) != 0) Py_CLEAR(sums);
    if (number == NULL) Py_CLEAR(sums);
    Py_XDECREF(key);
    Py_XDECREF(number);
    return sums;
}

static PyObject *histogram_of(FolderScan *scan) {
    PyObject *histogram = PyDict_New();
    size_t place, begin = 0;
    qsort(scan->classes, scan->classes_count, sizeof(int64_t), by_value);
    for (place = 1; histogram != NULL && place <= scan->classes_count; place++) {
        if (place < scan->classes_count && scan->classes[place] == scan->classes[begin]) continue;
        histogram = add_to(histogram, PyLong_FromLongLong(scan->classes[begin]), (int64_t)(place - begin));
        begin = place;
    }
    return histogram;
}

static PyObject *endings_of(const FolderScan *scan) {
    PyObject *endings = PyDict_New();
    int place;
    for (place = 0; endings != NULL && place < scan->endings_count; place++) {
        if (place == 0 && scan->endings[0].bytes == 0) continue;
        endings = add_to(endings, PyUnicode_DecodeFSDefault(scan->endings[place].ending), scan->endings[place].bytes);
    }
    return endings;
}

/* In the order of the fields of `FolderScan`. */
static PyObject *answer_of(FolderScan *scan) {
    const int64_t *sums = scan->sums;
    return Py_BuildValue(
        "LLLLLNLLLLLNNNNNNN", (long long)sums[ENTRIES], (long long)sums[FILES], (long long)sums[BYTES],
        (long long)sums[BLOCKS], (long long)sums[LARGEST],
        PyUnicode_DecodeFSDefault(scan->largest ? scan->largest : ""), (long long)sums[CHANGED],
        (long long)sums[READ], (long long)sums[COLD], (long long)sums[PROGRAMS], (long long)sums[HOLES],
        histogram_of(scan), endings_of(scan), list_of(&scan->folders, name_alone), list_of(&scan->odd, with_mode),
        PyList_New(0), list_of(&scan->big, with_size_and_time), list_of(&scan->failed, with_fault));
}

static PyObject *scan_folder(PyObject *module, PyObject *arguments) {
    FolderScan scan;
    PyObject *answer = NULL;
    long long cold_before, big_bytes;
    int problem, descriptor;
    Names *all[] = {&scan.folders, &scan.odd, &scan.big, &scan.failed};
    size_t place;
    (void)module;
    if (!PyArg_ParseTuple(arguments, "iLL", &descriptor, &cold_before, &big_bytes)) return NULL;
    memset(&scan, 0, sizeof scan);
    scan.cold_before = cold_before;
    scan.big_bytes = big_bytes;
    scan.endings_count = 1;
    Py_BEGIN_ALLOW_THREADS
    problem = read_folder(&scan, descriptor);
    Py_END_ALLOW_THREADS
    if (problem == 0) {
        answer = answer_of(&scan);
    } else {
        errno = problem;
        PyErr_SetFromErrno(PyExc_OSError);
    }
    for (place = 0; place < sizeof all / sizeof *all; place++) free(all[place]->text), free(all[place]->rows);
    free(scan.largest);
    free(scan.classes);
    return answer;
}

static PyMethodDef methods[] = {
    {"scan_folder", scan_folder, METH_VARARGS, "scan_folder(descriptor, cold_before, big_bytes): the fields of a FolderScan; see scan_folder.py."},
    {NULL, NULL, 0, NULL},
};

static struct PyModuleDef module = {PyModuleDef_HEAD_INIT, "_scan_folder", NULL, -1, methods, NULL, NULL, NULL, NULL};

PyMODINIT_FUNC PyInit__scan_folder(void) { return PyModule_Create(&module); }
