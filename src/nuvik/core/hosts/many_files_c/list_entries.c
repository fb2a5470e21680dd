/* Looking at all entries of a folder. */

#include "common.h"

#include <dirent.h>

/* (mode, size, user, group, accessed, changed, altered, device, inode, names, blocks) */
static PyObject *facts_of(const struct stat *facts) {
    return Py_BuildValue(
        "(IlIIlllKKll)", (unsigned int)facts->st_mode, (long)facts->st_size, (unsigned int)facts->st_uid,
        (unsigned int)facts->st_gid, (long)nanoseconds(facts->ACCESSED), (long)nanoseconds(facts->CHANGED),
        (long)nanoseconds(facts->ALTERED), (unsigned long long)facts->st_dev, (unsigned long long)facts->st_ino,
        (long)facts->st_nlink, (long)facts->st_blocks);
}

typedef struct {
    char *name;
    int fault;
    struct stat facts;
} Entry;

static int by_name(const void *first, const void *second) {
    return strcmp(((const Entry *)first)->name, ((const Entry *)second)->name);
}

static void forget(Entry *entries, size_t count) {
    for (size_t number = 0; number < count; number++) free(entries[number].name);
    free(entries);
}

/* All entries of an open folder; 0, or an error number. */
static int look(int folder, Entry **entries, size_t *count) {
    size_t room = 0;
    int fault = 0, again = openat(folder, ".", O_RDONLY | O_DIRECTORY | O_CLOEXEC);
    DIR *listing = again < 0 ? NULL : fdopendir(again);
    struct dirent *item;
    if (listing == NULL) {
        fault = errno;
        if (again >= 0) close(again);
        return fault;
    }
    for (;;) {
        errno = 0;
        item = readdir(listing);
        if (item == NULL) {
            fault = errno;
            break;
        }
        if (strcmp(item->d_name, ".") == 0 || strcmp(item->d_name, "..") == 0) continue;
        if (*count == room) {
            Entry *larger = realloc(*entries, (room = room ? room * 2 : 64) * sizeof(Entry));
            if (larger == NULL) {
                fault = ENOMEM;
                break;
            }
            *entries = larger;
        }
        Entry *entry = *entries + *count;
        entry->name = strdup(item->d_name);
        if (entry->name == NULL) {
            fault = ENOMEM;
            break;
        }
        (*count)++;
        entry->fault = fstatat(folder, item->d_name, &entry->facts, AT_SYMLINK_NOFOLLOW) ? errno : 0;
    }
    closedir(listing);
    if (*count) qsort(*entries, *count, sizeof(Entry), by_name);
    return fault;
}

/* A value made of a tuple, of a type that is a tuple with names. Steals the reference to the tuple. */
static PyObject *named(PyObject *make, PyObject *type, PyObject *plain) {
    PyObject *value = plain ? PyObject_CallFunctionObjArgs(make, type, plain, NULL) : NULL;
    Py_XDECREF(plain);
    return value;
}

/* A small number that is likely the same for the next file: one value serves all of them. A new reference. */
typedef struct {
    unsigned long number;
    PyObject *value;
} Shared;

static PyObject *shared(Shared *last, unsigned long number) {
    if (last->value == NULL || last->number != number) {
        Py_XDECREF(last->value);
        last->number = number;
        last->value = PyLong_FromUnsignedLong(number);
    }
    Py_XINCREF(last->value);
    return last->value;
}

typedef struct {
    PyObject *make, *kind; /* tuple.__new__, and the word for a file */
    Shared mode, user, group;
} Common;

/* The record of a file that has one name, by its path in the library: made in place, a tuple of its type, since nearly
 * all entries are such files; NULL with an error set. */
static PyObject *record_of(Common *common, PyTypeObject *type, PyObject *path, const struct stat *facts) {
    char which[WHICH_LENGTH];
    const int length = which_file(facts, which);
    const int64_t accessed = nanoseconds(facts->ACCESSED), changed = nanoseconds(facts->CHANGED),
                  altered = nanoseconds(facts->ALTERED);
    PyObject *moment = PyLong_FromLongLong(changed); /* often the same for all three */
    PyObject *fields[] = {
        Py_NewRef(path),
        Py_NewRef(common->kind),
        PyLong_FromLongLong(facts->st_size),
        shared(&common->mode, facts->st_mode & 07777),
        shared(&common->user, facts->st_uid),
        shared(&common->group, facts->st_gid),
        accessed == changed ? Py_XNewRef(moment) : PyLong_FromLongLong(accessed),
        moment,
        altered == changed ? Py_XNewRef(moment) : PyLong_FromLongLong(altered),
        PyUnicode_FromStringAndSize(which, length),
        Py_NewRef(Py_None),
        Py_NewRef(Py_None),
        Py_NewRef(Py_None),
        Py_NewRef(Py_None),
        Py_NewRef(Py_False),
        Py_NewRef(Py_None),
    };
    const Py_ssize_t count = sizeof(fields) / sizeof(fields[0]);
    PyObject *record = PyType_GenericAlloc(type, count);
    for (Py_ssize_t number = 0; number < count; number++) {
        if (record == NULL || fields[number] == NULL) {
            Py_XDECREF(fields[number]);
            Py_CLEAR(record);
        } else if (PyTuple_SetItem(record, number, fields[number])) {
            Py_CLEAR(record);
        }
    }
    return record;
}

/* The path of a file from that of its folder and its name. */
static PyObject *path_of(char **buffer, const char *above, size_t above_length, const char *name) {
    const size_t name_length = strlen(name);
    char *larger = realloc(*buffer, above_length + name_length + 1);
    if (larger == NULL) return PyErr_NoMemory();
    *buffer = larger;
    memcpy(larger, above, above_length);
    memcpy(larger + above_length, name, name_length);
    return PyUnicode_DecodeFSDefaultAndSize(larger, (Py_ssize_t)(above_length + name_length));
}

/* What is in a folder, sorted into the lists and the dictionary of holes; 0, or -1 with an error set. */
static int sort_out(
    const Entry *entries, size_t count, PyObject *above, PyTypeObject *record_type, PyObject *facts_type,
    PyObject *files, PyObject *others, PyObject *holes) {
    Common common = {
        PyObject_GetAttrString((PyObject *)&PyTuple_Type, "__new__"), PyUnicode_FromString("file"), {0}, {0}, {0}};
    PyObject *above_bytes = PyUnicode_EncodeFSDefault(above);
    char *buffer = NULL;
    int good = common.make != NULL && common.kind != NULL && above_bytes != NULL;
    for (size_t number = 0; good && number < count; number++) {
        const Entry *entry = &entries[number];
        PyObject *name = NULL, *path = NULL, *item = NULL, *facts;
        if (!entry->fault && S_ISREG(entry->facts.st_mode) && entry->facts.st_nlink == 1) {
            const long long missing = (long long)entry->facts.st_size - (long long)entry->facts.st_blocks * 512;
            path = path_of(&buffer, PyBytes_AsString(above_bytes), (size_t)PyBytes_Size(above_bytes), entry->name);
            item = path ? record_of(&common, record_type, path, &entry->facts) : NULL;
            good = item != NULL && PyList_Append(files, item) == 0;
            if (good && missing > 0) {
                PyObject *bytes = PyLong_FromLongLong(missing);
                good = bytes != NULL && PyDict_SetItem(holes, path, bytes) == 0;
                Py_XDECREF(bytes);
            }
        } else if ((name = PyUnicode_DecodeFSDefault(entry->name)) != NULL) {
            facts = entry->fault ? PyLong_FromLong(entry->fault)
                                 : named(common.make, facts_type, facts_of(&entry->facts));
            item = facts ? PyTuple_Pack(2, name, facts) : NULL;
            Py_XDECREF(facts);
            good = item != NULL && PyList_Append(others, item) == 0;
        } else {
            good = 0;
        }
        Py_XDECREF(name);
        Py_XDECREF(path);
        Py_XDECREF(item);
    }
    free(buffer);
    Py_XDECREF(above_bytes);
    Py_XDECREF(common.make);
    Py_XDECREF(common.kind);
    Py_XDECREF(common.mode.value);
    Py_XDECREF(common.user.value);
    Py_XDECREF(common.group.value);
    return good ? 0 : -1;
}

/* list_entries(folder, what paths in it begin with, type of records, type of facts)
 * -> ([record of each file that has one name, ...], [(name, facts or an error number) of anything else, ...],
 *     {path of a file with holes: by how many bytes it is longer than what it holds}) */
PyObject *list_entries(PyObject *self, PyObject *words) {
    int folder, fault, good;
    Entry *entries = NULL;
    size_t count = 0;
    PyObject *above, *record_type, *facts_type, *files, *others, *holes, *result = NULL;
    (void)self;
    if (!PyArg_ParseTuple(words, "iUO!O", &folder, &above, &PyType_Type, &record_type, &facts_type)) return NULL;
    if (!PyType_IsSubtype((PyTypeObject *)record_type, &PyTuple_Type)) {
        PyErr_SetString(PyExc_TypeError, "records are tuples with names");
        return NULL;
    }
    Py_BEGIN_ALLOW_THREADS
    fault = look(folder, &entries, &count);
    Py_END_ALLOW_THREADS
    if (fault) {
        forget(entries, count);
        errno = fault;
        return PyErr_SetFromErrno(PyExc_OSError);
    }
    files = PyList_New(0);
    others = PyList_New(0);
    holes = PyDict_New();
    good = files != NULL && others != NULL && holes != NULL &&
           sort_out(entries, count, above, (PyTypeObject *)record_type, facts_type, files, others, holes) == 0;
    if (good) result = PyTuple_Pack(3, files, others, holes);
    Py_XDECREF(files);
    Py_XDECREF(others);
    Py_XDECREF(holes);
    forget(entries, count);
    return result;
}
